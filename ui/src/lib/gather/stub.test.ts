import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { place, thing, version, whole } from '../../tests/made';
import { studio } from '../../tests/studio';

import { undo } from '$lib/undo.svelte';
import Look from './Look.svelte';
import Stub from './Stub.svelte';
import { gather } from './gather.svelte';

const reload = vi.fn(async () => undefined);
const film = (more: Parameters<typeof whole>[1] = {}) =>
  whole('film', { name: 'film_v02.mov', what: 'film', versions: 2, version: 'v2', all_versions: [version(2, { current: true }), version(1)], ...more }); // prettier-ignore
const show = (it = film(), see?: (version: string) => void) => render(Stub, { thing: it, reload, ...(see && { see }) });
const press = (name: string | RegExp) => userEvent.click(screen.getByRole('button', { name }));

beforeEach(async () => {
  vi.clearAllMocks();
  studio.answers('GET /api/v1/gather', { path: [], places: [], things: [], next: '' });
  for (const line of [
    'PATCH /api/v1/things/*',
    'POST /api/v1/things/*',
    'PATCH /api/v1/versions/*',
    'PUT /api/v1/versions/*/current',
    'DELETE /api/v1/versions/*',
    'POST /api/v1/versions/*/restore',
    'POST /api/v1/things/*/part',
    'POST /api/v1/things/*/renditions',
  ])
    // prettier-ignore
    studio.answers(line);
});

describe('the stub', () => {
  it('renames at Enter, not to nothing, and takes the name back', async () => {
    show();
    const name = screen.getByRole('textbox', { name: 'Name' });
    await userEvent.clear(name);
    await userEvent.type(name, '{Enter}');
    expect(name).toHaveValue('film_v02.mov');
    await userEvent.clear(name);
    await userEvent.type(name, 'other{Escape}');
    expect(name).toHaveValue('film_v02.mov');
    await userEvent.clear(name);
    await userEvent.type(name, 'Lifeboat{Enter}');
    await vi.waitFor(() => expect(studio.sent('PATCH /api/v1/things/film')).toEqual([{ name: 'Lifeboat' }]));
    await undo.take();
    expect(studio.sent('PATCH /api/v1/things/film').at(-1)).toEqual({ name: 'film_v02.mov' });
  });

  it('says a refusal and looks again', async () => {
    studio.refuses('PATCH /api/v1/things/*', 'There is a film of that name here.');
    show();
    await userEvent.type(screen.getByRole('textbox', { name: 'Name' }), ' 2{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('There is a film of that name here.');
    expect(reload).toHaveBeenCalledOnce();
  });

  it('adds tags and takes them off', async () => {
    show(film({ tags: ['rough'] }));
    await userEvent.type(screen.getByRole('textbox', { name: 'Add tags' }), ' night, ,for review {Enter}');
    await press('rough, take this tag off');
    expect(studio.sent('POST /api/v1/things/tag')).toEqual([
      { items: ['film'], add: ['night', 'for review'], remove: [] },
      { items: ['film'], add: [], remove: ['rough'] },
    ]);
  });

  it('keeps the checksum for those who ask for it', async () => {
    show(film({ fact_lines: [{ label: 'Length', value: '1:20' }, { label: 'SHA-256', value: 'a1b2' }] })); // prettier-ignore
    expect(screen.queryByText('a1b2')).toBeNull();
    await press('Type and checksum');
    expect(screen.getByText('a1b2')).toBeVisible();
  });

  it('stops a preview that is in work and tries one again that failed', async () => {
    studio.answers('POST /api/v1/versions/*/media');
    const { rerender } = show(film({ media_state: 'working', media_share: 0.4 }));
    expect(screen.getByText('Preview in work, 40 %')).toBeVisible();
    await press('Stop it');
    await rerender({ thing: film({ media_state: 'failed', media_error: 'the index is broken' }), reload });
    expect(screen.getByText('No preview: the index is broken')).toBeVisible();
    await press('Try again');
    expect(studio.sent('POST /api/v1/versions/v2/media')).toEqual([{ stop: true }, { stop: false }]);
  });
});

describe('versions', () => {
  const row = (n: number) => screen.getByText(`v${n}`).closest('li')!;

  it('are looked at, and the current one needs no name for that', async () => {
    const see = vi.fn();
    show(film(), see);
    await press('Look at version 1');
    await press('Look at version 2');
    expect(see.mock.calls).toEqual([['v1'], ['']]);
  });

  it('are made current, with the way back', async () => {
    show();
    expect(within(row(2)).queryByRole('button', { name: /Make current/ })).toBeNull();
    await press('Make current, version 1');
    await vi.waitFor(() => expect(reload).toHaveBeenCalled());
    await undo.take();
    expect(studio.asked.filter((a) => a.line.startsWith('PUT')).map((a) => a.line)).toEqual([
      'PUT /api/v1/versions/v1/current',
      'PUT /api/v1/versions/v2/current',
    ]);
  });

  it('are labelled', async () => {
    show();
    await press('Label version 1');
    await userEvent.type(screen.getByRole('textbox', { name: 'Label of version 1' }), 'before the storm{Enter}');
    expect(studio.sent('PATCH /api/v1/versions/v1')).toEqual([{ label: 'before the storm' }]);
  });

  it('are deleted and taken back', async () => {
    const { rerender } = show();
    await press('Delete version 1');
    await rerender({ thing: film({ all_versions: [version(2, { current: true }), version(1, { deleted_at: '2026-11-25T10:00:00Z' })] }), reload }); // prettier-ignore
    await userEvent.click(within(row(1)).getByRole('button', { name: 'Take back' }));
    expect(studio.asked.filter((a) => a.line.includes('/versions/v1')).map((a) => a.line)).toEqual([
      'DELETE /api/v1/versions/v1',
      'POST /api/v1/versions/v1/restore',
    ]);
  });

  it('the only one cannot be deleted', () => {
    show(whole('film'));
    expect(screen.queryByRole('button', { name: /Delete version/ })).toBeNull();
  });
});

describe('formats', () => {
  it('are shown as one where they look like it', async () => {
    show(film({ twins: [thing('t1', { name: 'film.mp4' })] }));
    expect(screen.getByText(/film.mp4\s+looks\s+like the same thing/)).toBeVisible();
    await press('Show as one');
    expect(studio.sent('POST /api/v1/things/film/renditions')).toEqual([{ items: ['t1'] }]);
  });

  it('are taken singly or together, and parted', async () => {
    studio.answers('POST /api/v1/things/select', { address: '#take' });
    show(film({ format: 'MOV', formats: [thing('f2', { format: 'MP4', shape: '1280 × 720' })] }));
    expect(screen.getByRole('link', { name: 'Take MP4' })).toHaveAttribute('href', '/look/f2/original');
    await press('Take all 2 together');
    expect(studio.sent('POST /api/v1/things/select')).toEqual([{ items: ['film'], places: [] }]);
    await press('Part MP4 from it');
    expect(studio.asked.map((a) => a.line)).toContain('POST /api/v1/things/f2/part');
  });
});

describe('looking at things one after another', () => {
  it('what the keys are about is what is looked at, and the next one comes when it is deleted', async () => {
    const things = ['a', 'b', 'c'].map((id) => thing(id, { kind: 'link' }));
    studio.answers('GET /api/v1/gather', { path: [place('films', 'project')], places: [], things, next: '' });
    studio.answers('GET /api/v1/things/*', ({ line }: { line: string }) => whole(line.split('/').at(-1)!, { data: { url: 'https://a.example' } as never })); // prettier-ignore
    await gather.go({ place: 'films', view: 'inside', find: '', what: '', tag: '', since: '' });
    gather.choose('a');
    const go = vi.fn();
    const { rerender } = render(Look, { id: 'b', go, close: vi.fn(), changed: 0 });
    expect(await screen.findByText('2 of 3')).toBeVisible();
    expect(gather.selection.items).toEqual(['b']);
    studio.refuses('GET /api/v1/things/b', 'There is no such thing any more.', 404);
    await rerender({ changed: 1 });
    await vi.waitFor(() => expect(go).toHaveBeenCalledWith('c'));
  });
});
