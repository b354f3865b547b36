import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { place, thing } from '../../tests/made';
import { goto } from '../../tests/navigation';
import { studio, type Asked } from '../../tests/studio';

import { undo } from '$lib/undo.svelte';
import Undo from '$lib/ui/Undo.svelte';
import Bar from './Bar.svelte';
import LetGo from './LetGo.svelte';
import ChoosePlace from './ChoosePlace.svelte';
import Findings from './Findings.svelte';
import Make from './Make.svelte';
import Tree from './Tree.svelte';
import { gather } from './gather.svelte';

const museum = place('Kelpwick', 'client');
const films = place('Lifeboat films', 'project');
const list = (things: ReturnType<typeof thing>[] = [], path = [museum, films]) => ({
  path,
  places: [],
  things,
  next: '',
});

beforeEach(async () => {
  undo.forget();
  studio.answers('GET /api/v1/gather', list([thing('a.mov', { tags: ['rough'] }), thing('b.mov'), thing('c.mov')]));
  await gather.go({ place: films.id, view: 'inside', find: '', what: '', tag: '', since: '' });
});

describe('making a place or a thing', () => {
  it.each([
    [[], 'client'],
    [[museum], 'project'],
    [[museum, films], 'folder'],
  ])('names what can be made there', async (path, kind) => {
    studio.answers('GET /api/v1/gather', list([], path));
    await gather.load();
    render(Make, { open: true, kind: 'place' });
    expect(await screen.findByRole('heading', { name: `New ${kind}` })).toBeVisible();
  });

  it('makes it and chooses it', async () => {
    studio.answers('POST /api/v1/places', place('Rushes', 'folder'));
    render(Make, { open: true, kind: 'place' });
    await userEvent.type(await screen.findByLabelText('Name'), 'Rushes{Enter}');
    expect(studio.sent('POST /api/v1/places')).toEqual([{ parent: films.id, name: 'Rushes' }]);
    await vi.waitFor(() => expect(gather.at).toBe('Rushes'));
  });

  it('keeps what was typed when it is refused', async () => {
    studio.refuses('POST /api/v1/places/*/things', 'That is no colour.', 422);
    render(Make, { open: true, kind: 'swatch' });
    const colour = await screen.findByLabelText('Colour');
    await userEvent.clear(colour);
    await userEvent.type(colour, 'reddish{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('That is no colour.');
    expect(colour).toHaveValue('reddish');
  });
});

describe('choosing a place', () => {
  const open = (chosen = vi.fn(async () => undefined)) => {
    studio.answers('GET /api/v1/places', ({ query }: Asked) =>
      query.parent ? (query.parent === museum.id ? [films, place('Guide', 'project')] : []) : [museum],
    );
    render(ChoosePlace, { open: true, title: 'Move 1 thing', verb: 'Move to', chosen });
    return chosen;
  };

  it('begins where one is, and does not move things to where they are', async () => {
    open();
    expect(await screen.findByRole('button', { name: 'Move to Lifeboat films' })).toBeDisabled();
    expect(await screen.findByText('Nothing lies deeper here.')).toBeVisible();
  });

  it('goes up and down the path', async () => {
    const chosen = open();
    const path = await screen.findByRole('navigation', { name: 'Place to choose' });
    await userEvent.click(within(path).getByRole('button', { name: museum.id }));
    await userEvent.click(await screen.findByRole('button', { name: /Guide/ }));
    await userEvent.click(await screen.findByRole('button', { name: 'Move to Guide' }));
    expect(chosen).toHaveBeenCalledWith(expect.objectContaining({ id: 'Guide' }));
  });

  it('makes a place on the way', async () => {
    studio.answers('POST /api/v1/places', place('Selects', 'folder'));
    open();
    await userEvent.type(await screen.findByRole('textbox', { name: 'Name of a new folder' }), 'Selects{Enter}');
    expect(await screen.findByRole('button', { name: 'Move to Selects' })).toBeEnabled();
  });

  it('stays open when it fails, and says why', async () => {
    open(
      vi.fn(async () => {
        throw new Error('off');
      }),
    );
    const path = await screen.findByRole('navigation', { name: 'Place to choose' });
    await userEvent.click(within(path).getByRole('button', { name: museum.id }));
    await userEvent.click(screen.getByRole('button', { name: `Move to ${museum.id}` }));
    expect(await screen.findByRole('alert')).toBeVisible();
  });
});

describe('what can be done with what is chosen', () => {
  const rename = vi.fn();
  const bar = (...ids: string[]) => {
    for (const [i, id] of ids.entries()) gather.choose(id, i ? 'also' : 'one');
    render(Bar, { open: vi.fn(), rename });
    render(Undo);
    return screen.getByRole('toolbar', { name: 'With what is chosen' });
  };

  it('shows only what fits the choice', () => {
    const tools = bar('a.mov');
    expect(tools).toHaveTextContent('1 thing chosen');
    expect(within(tools).queryByRole('button', { name: 'Show as one' })).toBeNull();
    expect(within(tools).getByRole('button', { name: 'Delete' })).toBeVisible();
  });

  it('renames one by mouse', async () => {
    await userEvent.click(within(bar('a.mov')).getByRole('button', { name: 'Rename' }));
    expect(rename).toHaveBeenCalledWith(expect.objectContaining({ id: 'a.mov' }));
  });

  it('deletes by key, says so, and takes it back by key', async () => {
    studio.answers('POST /api/v1/things/delete', { id: 'd1', name: 'a.mov' });
    studio.answers('POST /api/v1/let-go/d1/restore');
    bar('a.mov');
    await userEvent.keyboard('{Delete}');
    expect(await screen.findByText('a.mov is let go, and kept for 30 days.')).toBeVisible();
    expect(studio.sent('POST /api/v1/things/delete')).toEqual([{ items: ['a.mov'], places: [] }]);
    await userEvent.keyboard('{Control>}z{/Control}');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/let-go/d1/restore')).toHaveLength(1));
  });

  it('tags, and the way back leaves alone what had the tag before', async () => {
    studio.answers('GET /api/v1/tags', [{ name: 'rough', count: 1 }]);
    studio.answers('POST /api/v1/things/tag');
    bar('a.mov', 'b.mov');
    await userEvent.keyboard('t');
    await userEvent.type(await screen.findByLabelText(/Tags to put on/), 'rough, for review{Enter}');
    expect(await screen.findByText('Tagged 2 things rough, for review.')).toBeVisible();
    await undo.take();
    expect(studio.sent('POST /api/v1/things/tag')).toEqual([
      { items: ['a.mov', 'b.mov'], add: ['rough', 'for review'], remove: [] },
      { items: ['b.mov'], add: [], remove: ['rough'] },
      { items: ['a.mov', 'b.mov'], add: [], remove: ['for review'] },
    ]);
  });

  it('lets the largest picture stand for the other formats', async () => {
    studio.answers(
      'GET /api/v1/gather',
      list([
        thing('s.jpg', { facts: { width: 10, height: 10 } as never }),
        thing('s.heic', { facts: { width: 40, height: 40 } as never }),
      ]),
    );
    await gather.load();
    studio.answers('POST /api/v1/things/*/renditions');
    const tools = bar('s.jpg', 's.heic');
    await userEvent.click(within(tools).getByRole('button', { name: 'Show as one' }));
    await vi.waitFor(() =>
      expect(studio.sent('POST /api/v1/things/s.heic/renditions')).toEqual([{ items: ['s.jpg'] }]),
    );
  });

  it('packs into a new package or a draft that is there', async () => {
    studio.answers('GET /api/v1/packages', {
      packages: [
        { id: 'p7', title: 'Poster set', state: 'draft' },
        { id: 'p8', title: 'Sent already', state: 'out' },
      ],
    });
    studio.answers('POST /api/v1/things/pack', { id: 'p7' });
    bar('a.mov');
    await userEvent.keyboard('{Control>}{Enter}{/Control}');
    await userEvent.click(await screen.findByRole('button', { name: 'Poster set' }));
    expect(screen.queryByRole('button', { name: 'Sent already' })).toBeNull();
    await vi.waitFor(() => expect(goto).toHaveBeenCalledWith('/packages/p7'));
    expect(studio.sent('POST /api/v1/things/pack')).toEqual([{ items: ['a.mov'], places: [], package: 'p7' }]);
  });

  it('finds a draft by its title where there are more than are shown', async () => {
    const all = Array.from({ length: 60 }, (_, i) => ({ id: `d${i}`, title: `Draft ${i}`, state: 'draft' }));
    studio.answers('GET /api/v1/packages', ({ query }: Asked) => ({
      packages: query.find ? all.filter((d) => d.title.endsWith(query.find ?? '')) : all.slice(0, 50),
      next: query.find ? '' : 'd49',
    }));
    studio.answers('POST /api/v1/things/pack', { id: 'd57' });
    bar('a.mov');
    await userEvent.keyboard('{Control>}{Enter}{/Control}');
    await screen.findByRole('button', { name: 'Draft 0' });
    expect(screen.queryByRole('button', { name: 'Draft 57' })).toBeNull();
    await userEvent.type(screen.getByLabelText('Or into a draft'), '57');
    await userEvent.click(await screen.findByRole('button', { name: 'Draft 57' }));
    await vi.waitFor(() =>
      expect(studio.sent('POST /api/v1/things/pack')).toEqual([{ items: ['a.mov'], places: [], package: 'd57' }]),
    );
  });

  it('says what a refusal says, and nothing is lost from the choice', async () => {
    studio.refuses('POST /api/v1/things/delete', 'It is being uploaded. Wait, or cancel the upload.');
    bar('a.mov');
    await userEvent.keyboard('{Delete}');
    expect(await screen.findByText('It is being uploaded. Wait, or cancel the upload.')).toBeVisible();
    expect([...gather.chosen]).toEqual(['a.mov']);
  });

  it('leaves keys alone that are typed into a field', async () => {
    bar('a.mov');
    const field = document.body.appendChild(document.createElement('input'));
    field.focus();
    await userEvent.keyboard('{Delete}s');
    expect(studio.asked.filter((a) => a.line.startsWith('POST'))).toEqual([]);
    field.remove();
  });
});

describe('what was let go', () => {
  const deleted = { id: 'd1', name: 'Rushes', items: 12, size: 4_200_000_000, who: 'Marit Oyelaran', at: '2026-11-20T10:00:00Z', until: '2099-01-01T00:00:00Z' }; // prettier-ignore

  it('gives back what was deleted', async () => {
    studio.answers('GET /api/v1/let-go', [deleted]);
    studio.answers('POST /api/v1/let-go/d1/restore');
    render(LetGo);
    expect(await screen.findByText(/12 files · deleted by Marit Oyelaran/)).toBeVisible();
    studio.answers('GET /api/v1/let-go', []);
    await userEvent.click(screen.getByRole('button', { name: 'Take back' }));
    expect(await screen.findByText(/Nothing was let go/)).toBeVisible();
  });

  it('deletes for good only when asked twice', async () => {
    studio.answers('GET /api/v1/let-go', [deleted]);
    studio.answers('DELETE /api/v1/let-go/d1');
    render(LetGo);
    await userEvent.click(await screen.findByRole('button', { name: 'Delete Rushes for good' }));
    expect(screen.getByText(/this cannot be undone/)).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Keep it' }));
    expect(studio.asked.some((a) => a.line.startsWith('DELETE'))).toBe(false);
    await userEvent.click(screen.getByRole('button', { name: 'Delete Rushes for good' }));
    await userEvent.click(screen.getByRole('button', { name: 'Delete for good' }));
    await vi.waitFor(() => expect(studio.asked.some((a) => a.line === 'DELETE /api/v1/let-go/d1')).toBe(true));
  });
});

describe('findings of preflight', () => {
  it('say what, why, what to do and which files', () => {
    const names = Array.from({ length: 9 }, (_, i) => `take ${i}.wav`);
    render(Findings, {
      findings: [
        { code: 'rates', severity: 'warns', why: 'Rates differ.', do: 'Ask which one is wanted.', names },
      ] as never,
      count: 9,
    });
    expect(screen.getByText('Look at it')).toBeVisible();
    expect(screen.getByText('Ask which one is wanted.')).toBeVisible();
    expect(screen.getByText(/take 5.wav and 3 more/)).toBeVisible();
  });
  it('say that nothing looks wrong', () => {
    render(Findings, { findings: [], count: 1 });
    expect(screen.getByText('Nothing looks wrong with it.')).toBeVisible();
  });
});

describe('an archive as a tree', () => {
  const entry = (path: string, more = {}) => ({ index: path.length, path, size: 10, folder: false, take: `/take/${path}`, show: '', locked: false, strays: false, ...more }); // prettier-ignore
  const list = (more: object) =>
    ({ files: 0, whole: true, folders: [], entries: [], here: 0, next: 0, problem: '', ...more }) as never;
  const show = (entries: ReturnType<typeof entry>[], more = {}) =>
    render(Tree, { load: async () => list({ files: entries.length, entries, ...more }) });
  const names = () => screen.getAllByRole('listitem').map((li) => li.textContent?.trim().split(/\s{2,}|\s(?=\d)/)[0]);

  it('shows a small one whole, in the order it comes in, and closes folders', async () => {
    show([entry('read me.txt'), entry('Stills/2.jpg'), entry('Stills/10.jpg')], {
      folders: [
        { path: 'empty', files: 0 },
        { path: 'Stills', files: 2 },
      ],
    });
    const stills = await screen.findByRole('button', { name: /Stills/ });
    expect(stills).toHaveTextContent('2 files');
    expect(screen.getAllByText(/\.jpg$/).map((e) => e.textContent)).toEqual(['2.jpg', '10.jpg']);
    await userEvent.click(stills);
    expect(screen.queryByText('2.jpg')).toBeNull();
    expect(names()).toHaveLength(3);
  });

  it('warns of what is locked or leads astray, and gives nothing that cannot be read', async () => {
    show([entry('a.txt', { locked: true, take: '' }), entry('passwd', { strays: true })]);
    expect(await screen.findByText('needs a password')).toBeVisible();
    expect(screen.getByText(/leads out of its folder/)).toBeVisible();
    expect(screen.getAllByRole('link')).toHaveLength(1);
  });

  it('says why there is no list', async () => {
    show([], { problem: 'it is cut off in the middle' });
    expect(await screen.findByText('Not listed: it is cut off in the middle.')).toBeVisible();
  });

  it('asks for the folders of a large one when they are opened, a page at a time', async () => {
    const page = (from: number, next: number) =>
      list({ files: 900, whole: false, entries: [0, 1].map((i) => entry(`Stills/${from + i}.jpg`, { index: from + i })), here: 900, next }); // prettier-ignore
    const load = vi.fn(async (folder: string, after: number) => {
      if (folder === '') return list({ files: 900, whole: false, folders: [{ path: 'Stills', files: 900 }] });
      return after ? page(after, 0) : page(0, 2);
    });
    render(Tree, { load });
    const stills = await screen.findByRole('button', { name: /Stills/ });
    expect(load).toHaveBeenCalledTimes(1);
    await userEvent.click(stills);
    expect(await screen.findByText('0.jpg')).toBeVisible();
    expect(screen.getByText('2 of 900 files')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Show more' }));
    expect(load).toHaveBeenLastCalledWith('Stills', 2);
    expect(await screen.findAllByText(/\.jpg$/)).toHaveLength(4);
    expect(screen.queryByRole('button', { name: 'Show more' })).toBeNull();
    await userEvent.click(stills);
    await userEvent.click(stills);
    expect(load).toHaveBeenCalledTimes(3);
  });

  it('leaves a folder closed that did not come, and says why', async () => {
    render(Tree, {
      load: async (folder: string) => {
        if (folder) throw new Error('away');
        return list({ files: 900, whole: false, folders: [{ path: 'Stills', files: 900 }] });
      },
    });
    const stills = await screen.findByRole('button', { name: /Stills/ });
    await userEvent.click(stills);
    expect(await screen.findByRole('status')).toHaveTextContent(/failed/);
    expect(stills).toHaveAttribute('aria-expanded', 'false');
  });
});
