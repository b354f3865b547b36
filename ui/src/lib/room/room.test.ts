// @vitest-environment jsdom
import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { item, note, parcel } from '../../tests/made';
import { studio } from '../../tests/studio';

const goto = vi.hoisted(() => vi.fn());
const page = vi.hoisted(() => ({ url: new URL('http://studio.example/packages/p1/room') }));
vi.mock('$app/navigation', () => ({ goto }));
vi.mock('$app/state', () => ({ page }));

import Room from './Room.svelte';
import Score from './Score.svelte';

const reload = vi.fn(async () => undefined);
const still = (name: string, more = {}) => item(name, { what: 'still', pages: 1, ...more });
const at = (id: string, us: number, more = {}) =>
  note(id, 'a.jpg', { anchor: { when: 'moment', at_us: us }, at: '2026-11-20T10:00:00Z', place: { label: `at ${us}` }, ...more } as never); // prettier-ignore
const show = (notes: ReturnType<typeof note>[] = [], items = [still('a.jpg'), still('b.jpg')], query = '') => {
  page.url = new URL(`http://studio.example/packages/p1/room${query}`);
  return render(Room, { parcel: parcel({ items }), notes, reload, more: vi.fn() });
};
const here = () => screen.getByRole('heading', { level: 2 }).textContent;

beforeEach(() => vi.clearAllMocks());

describe('the Room', () => {
  it('shows the note that is open first, and goes through the notes by time', async () => {
    show([at('late', 9), at('done', 1, { done: true }), at('early', 2)]);
    expect(screen.getByText('2 of 3 open')).toBeVisible();
    expect(here()).toBe('note early');
    await userEvent.click(screen.getByRole('button', { name: 'Note after' }));
    expect(here()).toBe('note late');
    await userEvent.keyboard('{ArrowDown}');
    expect(here()).toBe('note done');
    await userEvent.keyboard('{ArrowUp}{ArrowUp}');
    expect(here()).toBe('note early');
  });

  it('opens at the note that a link names', () => {
    show([at('one', 1), at('two', 2)], undefined, '?note=two');
    expect(here()).toBe('note two');
  });

  it('ticks a note off, and answers it where something is written', async () => {
    studio.answers('PUT /api/v1/notes/one/done');
    studio.answers('POST /api/v1/notes/one/answers');
    show([at('one', 1)]);
    await userEvent.click(screen.getByRole('button', { name: 'Done' }));
    expect(studio.sent('PUT /api/v1/notes/one/done')).toEqual([{ done: true }]);
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer' }), 'It is lower now.{Enter}');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/notes/one/answers')).toEqual([{ text: 'It is lower now.' }])); // prettier-ignore
    expect(reload).toHaveBeenCalledTimes(2);
    expect(screen.getByRole('textbox', { name: 'Answer' })).toHaveValue('');
  });

  it('keeps what was written where it could not be sent', async () => {
    studio.refuses('POST /api/v1/notes/one/answers', 'This package is cleared.');
    show([at('one', 1)]);
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer' }), 'Yes{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('This package is cleared.');
    expect(screen.getByRole('textbox', { name: 'Answer' })).toHaveValue('Yes');
  });

  it('writes a note about a whole still, after M', async () => {
    studio.answers('POST /api/v1/items/a.jpg/notes', at('new', 0, { anchor: {} }));
    show();
    await userEvent.keyboard('m');
    expect(screen.getByRole('textbox', { name: 'Note' })).toHaveFocus();
    await userEvent.keyboard('Warmer, please.{Enter}');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/items/a.jpg/notes')).toEqual([{ anchor: {}, text: 'Warmer, please.' }])); // prettier-ignore
  });

  it('is left by Escape, first out of what is written', async () => {
    show();
    await userEvent.keyboard('m{Escape}');
    expect(goto).not.toHaveBeenCalled();
    await userEvent.keyboard('{Escape}');
    expect(goto).toHaveBeenCalledWith('/packages/p1');
  });

  it('shows each thing once, and its formats beside it', () => {
    const items = [still('a.jpg'), still('b.jpg'), still('a.tif', { lead: 'a.jpg' })];
    const names = (nav: string) => within(screen.getByRole('navigation', { name: nav })).getAllByRole('link').map((l) => l.textContent!.trim()); // prettier-ignore
    const { unmount } = show([], items, '?item=a.tif');
    const pieces = screen.getByRole('combobox', { name: 'Piece' });
    expect([...pieces.querySelectorAll('option')].map((o) => o.textContent)).toEqual(['1. a.tif', '2. b.jpg']);
    expect(names('Formats')).toEqual(['JPG', 'TIF']);
    expect(screen.getByRole('link', { name: 'TIF' })).toHaveAttribute('aria-current', 'true');
    unmount();
    show([], items, '?item=b.jpg');
    expect(screen.queryByRole('navigation', { name: 'Formats' })).toBeNull();
  });

  it('says why there is no picture', () => {
    const { unmount } = show([], [still('a.mov', { what: 'film', media_state: 'failed', media_error: 'the index is broken' })]); // prettier-ignore
    expect(screen.getByText(/the index is broken.\s+The original is whole/)).toBeVisible();
    unmount();
    show([], [item('a.mov', { what: 'film', media_state: 'working' })]);
    expect(screen.getByText(/The proxy is in work/)).toBeVisible();
  });
});

describe('the score', () => {
  const film = item('a.mov', {
    what: 'film',
    facts: { length_us: 10_000_000, frame_rate: { num: 25, den: 1 } } as never,
  });
  const notes = [at('one', 2_500_000), at('two', 9_900_000, { author: 'Hanne Orrick', done: true }), at('three', 5_000_000)]; // prettier-ignore

  it('has a lane for each person, and each note where it is in time', async () => {
    const pick = vi.fn();
    render(Score, { item: film, notes, picked: 'three', pick });
    expect(screen.getAllByRole('heading', { level: 3 }).map((h) => h.textContent)).toEqual(['P. Anstey', 'Hanne Orrick']); // prettier-ignore
    const marks = screen.getAllByRole('button');
    expect(marks.map((b) => b.style.left)).toEqual(['25%', '50%', '99%']);
    expect(marks[1]).toHaveAttribute('aria-current', 'true');
    expect(marks[2]).toHaveAccessibleName('at 9900000, Hanne Orrick: note two, done');
    await userEvent.click(marks[2]!);
    expect(pick).toHaveBeenCalledWith(notes[1]);
  });
});
