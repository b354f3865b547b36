import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Note } from '$api/client';
import { item, note } from '../../tests/made';
import '../../tests/line';
import { goto } from '../../tests/navigation';
import { page } from '../../tests/state';
import { studio } from '../../tests/studio';

import { lights } from './lights';
import Room from './Room.svelte';
import { lanes, marks, slide, zoom, follow } from './score';
import { lay, type Laid } from './review.svelte';
import { Seat } from './seat';

const still = (name: string, more = {}) => item(name, { what: 'still', pages: 1, ...more });
const at = (id: string, us: number, more = {}) =>
  note(id, 'a.jpg', { anchor: { when: 'moment', at_us: us }, at: '2026-11-20T10:00:00Z', place: { label: `at ${us}` }, ...more } as never); // prettier-ignore
const versions = [{ id: 'v-a.jpg', number: 1, label: '', at: '', now: true, look: '/look/a.jpg/' }];
const people = [
  { id: 'm1', name: 'Marit Oyelaran', studio: true, me: true },
  { id: 'm2', name: 'Ilse Brandt', studio: true, me: false },
  { id: 'l1', name: 'P. Anstey', studio: false, me: false },
];
async function show(notes: Note[] = [], items = [still('a.jpg'), still('b.jpg')], query = '', more: object = {}) {
  page.url = new URL(`http://studio.example/packages/p1/room${query}`);
  const wanted = page.url.searchParams.get('item');
  const of = items.find((i) => i.id === wanted) ?? items[0]!;
  for (const line of ['GET', 'PUT']) studio.answers(`${line} /api/v1/items/*/sit`, { now_ms: 0, seats: [] });
  studio.answers('DELETE /api/v1/items/*/sit');
  studio.answers('GET /api/v1/items/*/room', {
    item: of,
    package: 'p1',
    versions: versions.map((v) => ({ ...v, id: of.version })),
    notes: notes.map((n) => ({ ...n, version: n.version ?? of.version, number: n.number ?? 1 })),
    people,
    stars: [],
    decided: [],
    before: '',
    rights: ['see', 'note', 'take', 'add', 'sign_off'],
    studio: true,
    ...more,
  });
  const shown = render(Room, {
    seat: new Seat(),
    items,
    count: items.length,
    back: { href: '/packages/p1', name: 'Lifeboat' },
  });
  await screen.findByRole('region', { name: 'The note here' });
  return shown;
}
const here = () => screen.getByRole('heading', { level: 2 }).textContent;

beforeEach(() => {
  vi.clearAllMocks();
  localStorage.clear();
});

describe('the Room', () => {
  it('shows the note that is open first, and goes through the notes by time', async () => {
    await show([at('late', 9), at('done', 1, { done: true }), at('early', 2)]);
    expect(screen.getByText('2 of 3 open')).toBeVisible();
    expect(here()).toBe('note early');
    await userEvent.click(screen.getByRole('button', { name: 'Note after' }));
    expect(here()).toBe('note late');
    await userEvent.keyboard('{ArrowDown}');
    expect(here()).toBe('note done');
    await userEvent.keyboard('{ArrowUp}{ArrowUp}');
    expect(here()).toBe('note early');
  });

  it('opens at the note that a link names', async () => {
    await show([at('one', 1), at('two', 2)], undefined, '?note=two');
    expect(here()).toBe('note two');
  });

  it('ticks a note off, and answers it where something is written', async () => {
    studio.answers('PUT /api/v1/notes/one/done');
    studio.answers('POST /api/v1/notes/one/answers');
    await show([at('one', 1)]);
    await userEvent.click(screen.getByRole('button', { name: 'Done' }));
    expect(studio.sent('PUT /api/v1/notes/one/done')).toEqual([{ done: true }]);
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer' }), 'It is lower now.{Enter}');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/notes/one/answers')).toEqual([{ text: 'It is lower now.', attached: [], private: false }])); // prettier-ignore
    await vi.waitFor(() => expect(screen.getByRole('textbox', { name: 'Answer' })).toHaveValue(''));
    expect(studio.asked.filter((a) => a.line === 'GET /api/v1/items/a.jpg/room').length).toBeGreaterThan(2);
  });

  it('is answered with a picture, and keeps a begun answer while another note is in front', async () => {
    studio.answers('POST /api/v1/items/a.jpg/attached/picture', { id: 'x1', kind: 'picture', width: 4, height: 3 });
    studio.answers('POST /api/v1/notes/one/answers');
    await show([at('one', 1), at('two', 2)]);
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer' }), 'Like');
    await userEvent.upload(screen.getByLabelText('Picture to attach to the answer'), new File(['p'], 'p.png', { type: 'image/png' })); // prettier-ignore
    expect(await screen.findByAltText('What you attached')).toBeInTheDocument();
    await userEvent.click(screen.getByRole('button', { name: 'Note after' }));
    expect(screen.getByRole('textbox', { name: 'Answer' })).toHaveValue('');
    await userEvent.click(screen.getByRole('button', { name: 'Note before' }));
    expect(screen.getByRole('textbox', { name: 'Answer' })).toHaveValue('Like');
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer' }), ' this{Enter}');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/notes/one/answers')).toEqual([{ text: 'Like this', attached: ['x1'], private: false }])); // prettier-ignore
    await vi.waitFor(() => expect(screen.queryByAltText('What you attached')).toBeNull());
  });

  it('keeps what was written where it could not be sent', async () => {
    studio.refuses('POST /api/v1/notes/one/answers', 'This package is cleared.');
    await show([at('one', 1)]);
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer' }), 'Yes{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('This package is cleared.');
    expect(screen.getByRole('textbox', { name: 'Answer' })).toHaveValue('Yes');
  });

  it('writes a note about a whole still, after M', async () => {
    studio.answers('POST /api/v1/items/a.jpg/notes', at('new', 0, { anchor: {} }));
    await show();
    await userEvent.keyboard('m');
    expect(screen.getByRole('textbox', { name: 'Note' })).toHaveFocus();
    await userEvent.keyboard('Warmer, please.{Enter}');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/items/a.jpg/notes')).toEqual([{ anchor: {}, text: 'Warmer, please.', private: false, attached: [], version: 'v-a.jpg' }])); // prettier-ignore
  });

  it('stays at its page where the package is read anew', async () => {
    const items = () => [still('brief.pdf', { pages: 4 }), still('b.jpg')];
    const shown = await show([], items());
    await userEvent.keyboard('{PageDown}{PageDown}');
    const before = document.querySelectorAll('img[src*="page-3"]').length;
    expect(before).toBeGreaterThan(0);
    await shown.rerender({ items: items() });
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(document.querySelectorAll('img[src*="page-3"]')).toHaveLength(before);
    await shown.rerender({ items: [item('cut.mov', { what: 'film', made: ['proxy'] }), ...items()] });
    expect(document.querySelectorAll('img[src*="page-3"]')).toHaveLength(before);
  });

  it('is left by Escape, first out of what is written', async () => {
    await show();
    await userEvent.keyboard('m{Escape}');
    expect(goto).not.toHaveBeenCalled();
    await userEvent.keyboard('{Escape}');
    expect(goto).toHaveBeenCalledWith('/packages/p1');
  });

  it('shows each thing once, and its formats beside it', async () => {
    const items = [still('a.jpg'), still('b.jpg'), still('a.tif', { lead: 'a.jpg' })];
    const names = (nav: string) => within(screen.getByRole('navigation', { name: nav })).getAllByRole('link').map((l) => l.textContent!.trim()); // prettier-ignore
    const { unmount } = await show([], items, '?item=a.tif');
    const pieces = screen.getByRole('combobox', { name: 'Piece' });
    expect([...pieces.querySelectorAll('option')].map((o) => o.textContent)).toEqual(['1. a.tif', '2. b.jpg']);
    expect(names('Formats')).toEqual(['JPG', 'TIF']);
    expect(screen.getByRole('link', { name: 'TIF' })).toHaveAttribute('aria-current', 'true');
    unmount();
    await show([], items, '?item=b.jpg');
    expect(screen.queryByRole('navigation', { name: 'Formats' })).toBeNull();
  });

  it('says why there is no picture', async () => {
    const { unmount } = await show([], [still('a.mov', { what: 'film', media_state: 'failed', media_error: 'the index is broken' })]); // prettier-ignore
    expect(screen.getByText(/the index is broken.\s+The original is whole/)).toBeVisible();
    unmount();
    await show([], [item('a.mov', { what: 'film', media_state: 'working' })]);
    expect(screen.getByText(/The proxy is in work/)).toBeVisible();
  });
});

describe('a conversation', () => {
  it('keeps what was begun when the tab is closed', async () => {
    const { unmount } = await show();
    await userEvent.type(screen.getByRole('textbox', { name: 'Note' }), 'Half a thou');
    unmount();
    await show();
    expect(screen.getByRole('textbox', { name: 'Note' })).toHaveValue('Half a thou');
  });

  it('is found and filtered, and says how many of how many', async () => {
    await show([at('one', 1), at('two', 2, { done: true }), at('three', 3, { author: 'Hanne Orrick', who: 'h' })]);
    await userEvent.keyboard('b');
    const all = () => within(screen.getByRole('list', { name: 'All notes' })).getAllByRole('listitem').length;
    expect(all()).toBe(3);
    await userEvent.selectOptions(screen.getByRole('combobox', { name: 'Open or done' }), 'open');
    expect(all()).toBe(2);
    await userEvent.selectOptions(screen.getByRole('combobox', { name: 'Whose' }), 'h');
    expect(screen.getByRole('button', { name: /^1 of 3/ })).toBeVisible();
    await userEvent.type(screen.getByRole('textbox', { name: 'Find in the notes' }), 'nothing like it');
    expect(screen.getByText('No note is like that.')).toBeVisible();
  });

  it('is edited by its author, and keeps the words where another window was first', async () => {
    studio.refuses('PATCH /api/v1/notes/one', 'This note was edited in another window meanwhile.');
    await show([at('one', 1, { mine: true, edition: 3 })]);
    await userEvent.click(screen.getByRole('button', { name: 'More about this note' }));
    await userEvent.click(await screen.findByText('Edit'));
    const box = screen.getByRole('textbox', { name: 'Your note' });
    await userEvent.clear(box);
    await userEvent.type(box, 'Better words');
    await userEvent.click(screen.getByRole('button', { name: 'Save' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('edited in another window');
    expect(studio.sent('PATCH /api/v1/notes/one')).toEqual([{ text: 'Better words', edition: 3 }]);
    expect(screen.getByRole('textbox', { name: 'Your note' })).toHaveValue('Better words');
  });

  it('is assigned, signed, and kept to the studio', async () => {
    for (const what of ['assigned', 'sign', 'private']) studio.answers(`PUT /api/v1/notes/one/${what}`);
    await show([at('one', 1, { studio: true })]);
    await userEvent.click(screen.getByRole('button', { name: 'Assign, nobody yet' }));
    await userEvent.click(await screen.findByText('Ilse Brandt'));
    await userEvent.click(screen.getByRole('button', { name: 'Lovely' }));
    await userEvent.click(screen.getByRole('button', { name: 'More about this note' }));
    await userEvent.click(await screen.findByText('Only the studio sees this'));
    await vi.waitFor(() => expect(studio.sent('PUT /api/v1/notes/one/private')).toEqual([{ private: true }]));
    expect(studio.sent('PUT /api/v1/notes/one/assigned')).toEqual([{ member: 'm2' }]);
    expect(studio.sent('PUT /api/v1/notes/one/sign')).toEqual([{ sign: 'love', on: true }]);
  });

  it('is only read by whoever may only see', async () => {
    await show([at('one', 1)], undefined, '', { rights: ['see'], studio: false });
    expect(screen.queryByRole('textbox')).toBeNull();
    expect(screen.queryByRole('button', { name: 'Done' })).toBeNull();
    expect(screen.queryByRole('button', { name: /Assign/ })).toBeNull();
  });

  it('keeps what was attached when the tab is closed before it is sent', async () => {
    const picture = { id: 'pic', kind: 'picture', length_us: 0, peaks: [], width: 4, height: 3 };
    studio.answers('POST /api/v1/items/*/attached/picture', picture);
    studio.answers('POST /api/v1/items/*/notes', { id: 'new' });
    const first = await show();
    const file = new File(['x'], 'colour.png', { type: 'image/png' });
    await userEvent.upload(screen.getByLabelText('Picture to attach'), file);
    await screen.findByAltText('What you attached');
    first.unmount();
    await show();
    expect(screen.getByAltText('What you attached')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: /^Note/ }));
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/items/a.jpg/notes')).toMatchObject([{ attached: ['pic'] }])); // prettier-ignore
    expect(screen.queryByAltText('What you attached')).toBeNull();
  });

  it('names whom an @ may mean, and takes them by key', async () => {
    await show();
    await userEvent.type(screen.getByRole('textbox', { name: 'Note' }), 'See, @p');
    expect(screen.getByRole('button', { name: 'P. Anstey' })).toBeVisible();
    await userEvent.keyboard('{ArrowDown}{Enter}');
    expect(screen.getByRole('textbox', { name: 'Note' })).toHaveValue('See, @P. Anstey ');
  });
});

it('lights the notes at the playhead and no others, whatever is drawn anew', () => {
  const list = document.createElement('ol');
  list.innerHTML = ['one', 'two', 'a"b'].map((id) => `<li data-note='${id}'></li>`).join('');
  const lit = () => [...list.querySelectorAll<HTMLElement>('[data-lit]')].map((e) => e.dataset.note);
  lights(['one', 'a"b', 'elsewhere'], [1])(list);
  expect(lit()).toEqual(['one', 'a"b']);
  lights(['two', 'one'], [1])(list);
  expect(lit()).toEqual(['one', 'two']);
  list.firstElementChild!.replaceWith(Object.assign(document.createElement('li')));
  (list.firstElementChild as HTMLElement).dataset.note = 'one';
  lights(['two', 'one'], [2])(list);
  expect(lit()).toEqual(['one', 'two']);
  lights([], [])(list);
  expect(lit()).toEqual([]);
});

describe('the score', () => {
  const laid = (id: string, us: number, more: Partial<Laid> = {}): Laid => {
    const n = at(id, us, more);
    return {
      ...n,
      here: n.anchor,
      label: n.place.label,
      away: false,
      untilLabel: '',
      lane: n.author,
      ...more,
      attached: [],
    };
  };
  const notes = [laid('one', 2_500_000), laid('two', 9_900_000, { lane: 'Hanne Orrick' }), laid('three', 5_000_000)];
  const whole = { from: 0, to: 10_000_000 };

  it('has a lane for each person, and each note where it is in time', () => {
    const drawn = lanes(notes, whole);
    expect(drawn.map((l) => l.name)).toEqual(['P. Anstey', 'Hanne Orrick']);
    expect(drawn[0]!.notes.map((d) => d.left)).toEqual([25, 50]);
    expect(drawn[0]!.notes[0]!.room).toBe(25);
    expect(drawn[1]!.notes[0]!.room).toBe(0); // at the very end it is a tick
  });

  it('draws what is in sight, a span as long as it is, and no more than can be told apart', () => {
    const span = laid('span', 1_000_000, { here: { when: 'span', at_us: 1_000_000, until_us: 4_000_000 } });
    expect(lanes([span], { from: 2_000_000, to: 6_000_000 })[0]!.notes[0]).toMatchObject({ left: 0, width: 50 });
    expect(lanes([span], { from: 5_000_000, to: 6_000_000 })[0]!.notes).toEqual([]);
    const crowd = Array.from({ length: 2000 }, (_, i) => laid(`n${i}`, i * 50));
    expect(lanes(crowd, whole)[0]!.notes.length).toBeLessThan(40);
    expect(lanes(crowd, { from: 0, to: 100_000 })[0]!.notes.length).toBeGreaterThan(500);
    const long = crowd.map((n, i) => ({ ...n, here: { when: 'span' as const, at_us: i * 5000, until_us: i * 5000 + 4_000_000 } })); // prettier-ignore
    const most = lanes(long, whole, 2.4)[0]!;
    expect(most.notes.length).toBeLessThanOrEqual(3 * Math.ceil(100 / 2.4));
    expect(most.more).toBe(2000 - most.notes.length);
    // What lies over each other lies in rows.
    const same = [laid('a', 1_000_000), span, laid('b', 1_000_000), laid('c', 5_000_000)];
    expect(lanes(same, whole)[0]!).toMatchObject({ rows: 3 });
    expect(lanes(same, whole)[0]!.notes.map((d) => d.row)).toEqual([0, 1, 2, 0]);
  });

  it('comes nearer around a place, stays within the piece, and follows what plays', () => {
    const near = zoom(whole, 0.5, 8_000_000, 10_000_000);
    expect(near).toEqual({ from: 4_000_000, to: 9_000_000 });
    expect(zoom(near, 4, 8_000_000, 10_000_000)).toEqual(whole);
    expect(slide(near, 9_000_000, 10_000_000)).toEqual({ from: 5_000_000, to: 10_000_000 });
    expect(follow(near, 5_000_000, 10_000_000)).toBe(near);
    expect(follow({ from: 0, to: 1_000_000 }, 1_000_100, 10_000_000).from).toBeGreaterThan(900_000);
    expect(marks(whole, 6)).toEqual([0, 2, 4, 6, 8, 10].map((s) => s * 1_000_000));
  });

  it('lays open notes of older versions on a newer one, and no newer ones on an older', () => {
    const two = [
      { ...versions[0]!, id: 'v1', number: 1 },
      { ...versions[0]!, id: 'v2', number: 2 },
    ];
    const all = [
      at('old', 1, { version: 'v1', number: 1 }),
      at('done', 2, { version: 'v1', number: 1, done: true }),
      at('new', 3, { version: 'v2', number: 2 }),
    ];
    const ids = (version: string) => lay(all, two, version).map((n) => n.id);
    expect(ids('v2')).toEqual(['old', 'new']);
    expect(ids('v1')).toEqual(['old', 'done']);
    expect(lay(all, two, 'v2')[0]).toMatchObject({ away: true, lane: 'From version 1' });
  });
});
