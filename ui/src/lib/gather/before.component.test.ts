import { cleanup, render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { place, thing } from '../../tests/made';
import { studio } from '../../tests/studio';

vi.mock('tus-js-client', () => ({
  Upload: class {
    findPreviousUploads = async () => [];
    start = () => undefined;
    abort = async () => undefined;
  },
}));

import { uploads } from '$lib/uploads.svelte';
import Before from './Before.svelte';
import { gather, type Row } from './gather.svelte';

const films = place('films', 'project', { name: 'Lifeboat films' });
const file = (name: string, size = 10) => ({ file: new File(['x'.repeat(size)], name), folder: '' });

beforeEach(async () => {
  await uploads.cancelAll();
  uploads.list = [];
  studio.answers('GET /api/v1/gather', { path: [films], places: [], things: [], next: '' });
  studio.answers('GET /api/v1/space', { quota: 1000, used: 900 });
  studio.answers('POST /api/v1/places/films/offers', []);
  await gather.go({ place: 'films', view: 'inside', find: '', what: '', tag: '', since: '' });
});

async function ask(found: ReturnType<typeof file>[], folders: string[] = [], onto?: Row) {
  const { component } = render(Before);
  await component.ask(found, folders, onto);
  return screen.findByRole('dialog');
}
const begin = () => screen.getByRole('button', { name: /^(Upload|Start|Add)/ });
const started = () => uploads.list.map((u) => [u.name, u.item || u.place, u.tags.join()]);

describe('before an upload starts', () => {
  it('says what each file is and what looks wrong, and nothing has begun', async () => {
    const dialog = await ask([file('cut.mov'), file('aux.txt'), file('empty.wav', 0)]);
    expect(within(dialog).getByText('film')).toBeVisible();
    expect(within(dialog).getByText(/every system/)).toBeVisible();
    expect(within(dialog).getByText(/is empty/)).toBeVisible();
    expect(uploads.list).toEqual([]);
  });

  it('takes names and tags along', async () => {
    await ask([file('cut.mov')]);
    const name = screen.getByRole('textbox', { name: 'Name of cut.mov' });
    await userEvent.clear(name);
    await userEvent.type(name, 'Cut 4.mov');
    await userEvent.type(screen.getByLabelText(/Tags for all/), 'rough, for review');
    await userEvent.click(begin());
    await vi.waitFor(() => expect(started()).toEqual([['Cut 4.mov', 'films', 'rough,for review']]));
  });

  it('offers the next version, never forces it', async () => {
    studio.answers('POST /api/v1/places/films/offers', [
      { index: 0, item: 'i1', beside: 'film_v02.mov', kind: 'version' },
    ]);
    await ask([file('film_v03.mov'), file('other.mov')]);
    const what = screen.getByRole('combobox', { name: 'What to do with film_v03.mov' });
    expect(what).toHaveDisplayValue('as a new thing');
    await userEvent.selectOptions(what, 'next version of film_v02.mov');
    await userEvent.click(begin());
    await vi.waitFor(() =>
      expect(started()).toEqual([
        ['other.mov', 'films', ''],
        ['film_v03.mov', 'i1', ''],
      ]),
    );
  });

  it('makes what was dropped on a thing its next version, or the picture of a link', async () => {
    const film = { id: 'i7', thing: thing('i7', { name: 'film_v02.mov' }) };
    const dialog = await ask([file('export.mov')], [], film);
    expect(within(dialog).getByText('Add to film_v02.mov')).toBeVisible();
    expect(screen.getByRole('combobox')).toHaveDisplayValue('next version of film_v02.mov');
    await userEvent.click(begin());
    const link = { id: 'i8', thing: thing('i8', { name: 'Replay', kind: 'link' }) };
    cleanup();
    await ask([file('screen.png')], [], link);
    expect(screen.getByRole('combobox')).toHaveDisplayValue('picture of Replay');
    await userEvent.click(begin());
    await vi.waitFor(() =>
      expect(uploads.list.map((u) => [u.name, u.item, u.place, u.picture])).toEqual([
        ['export.mov', 'i7', '', false],
        ['screen.png', 'i8', '', true],
      ]),
    );
    expect(studio.sent('POST /api/v1/places/films/offers')).toEqual([]);
  });

  it('puts what was dropped on a folder into it', async () => {
    const stills = place('stills', 'folder', { name: 'Stills' });
    studio.answers('POST /api/v1/places/stills/offers', []);
    await ask([file('a.jpg')], [], { id: 'stills', place: stills });
    await userEvent.click(begin());
    await vi.waitFor(() => expect(started()).toEqual([['a.jpg', 'stills', '']]));
  });

  it('leaves out what is there already, which can be turned', async () => {
    studio.answers('POST /api/v1/places/films/offers', [{ index: 1, item: 'i1', beside: 'b.mov', kind: 'same' }]);
    const dialog = await ask([file('a.mov'), file('b.mov')]);
    expect(await within(dialog).findByText(/1 is here already/)).toBeVisible();
    await userEvent.click(begin());
    await vi.waitFor(() => expect(started()).toEqual([['a.mov', 'films', '']]));
  });

  it('keeps what was decided before the answer came, and goes elsewhere', async () => {
    let answer: (offers: unknown) => void = () => undefined;
    studio.answers('POST /api/v1/places/films/offers', () => new Promise((resolve) => (answer = resolve)));
    studio.answers('GET /api/v1/places', [place('guide', 'folder', { name: 'Audio guide' })]);
    studio.answers('POST /api/v1/places/guide/offers', []);
    const { component } = render(Before);
    void component.ask([file('a.mov'), file('b.mov')]);
    await userEvent.selectOptions(await screen.findByRole('combobox', { name: 'What to do with a.mov' }), 'leave out');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/places/films/offers')).toHaveLength(1));
    answer([{ index: 1, item: 'i1', beside: 'b.mov', kind: 'twin' }]);
    expect(await screen.findByText(/is here already, with another size/)).toBeVisible();
    expect(screen.getByRole('combobox', { name: 'What to do with a.mov' })).toHaveDisplayValue('leave out');
    await userEvent.click(screen.getByRole('button', { name: 'Elsewhere' }));
    await userEvent.click(await screen.findByRole('button', { name: /Audio guide/ }));
    await userEvent.click(screen.getByRole('button', { name: 'Put into Audio guide' }));
    expect(await screen.findByText('Add to Audio guide')).toBeVisible();
    expect(screen.queryByText(/is here already/)).toBeNull();
    await userEvent.type(screen.getByRole('textbox', { name: 'Tags of a.mov' }), 'night');
    await userEvent.click(begin());
    await vi.waitFor(() => expect(started()).toEqual([['a.mov', 'guide', 'night'], ['b.mov', 'guide', '']])); // prettier-ignore
  });

  it('refuses what does not fit before it starts', async () => {
    const dialog = await ask([file('large.mov', 101)]);
    expect(await within(dialog).findByRole('alert')).toHaveTextContent('it needs 101 bytes, and 100 bytes are free');
    expect(begin()).toBeDisabled();
  });

  it('makes folders, also empty ones, and starts nothing when that fails', async () => {
    studio.refuses('POST /api/v1/places/films/folders', 'This project was let go.');
    await ask([{ ...file('a.mov'), folder: 'Rushes' }], ['Rushes', 'Rushes/empty']);
    await userEvent.click(begin());
    expect(await screen.findByRole('alert')).toHaveTextContent('This project was let go.');
    expect(studio.sent('POST /api/v1/places/films/folders')).toEqual([{ paths: ['Rushes', 'Rushes/empty'] }]);
    expect(uploads.list).toEqual([]);
  });
});
