import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Cell, LedgerRow, PackageRow } from '$api/client';
import Horizon from '$lib/desk/Horizon.svelte';
import { item, note, parcel } from '../../tests/made';
import { studio } from '../../tests/studio';
import Ledger from './Ledger.svelte';
import Notes from './Notes.svelte';

const reload = async () => undefined;

describe('the ledger', () => {
  const cut = item('cut.mov', { what: 'film', size: 1000, facts: { length_us: 10_000_000 } as never });
  const cell = (more: Partial<Cell> = {}): Cell =>
    ({ item: 'cut.mov', bytes: [], played: [], complete: false, delivered: 0, behind: false, saying: 'nothing yet', brief: '', looked_at: null, completed_at: null, ...more }) as never; // prettier-ignore
  const row = (name: string, of: Cell, more: Partial<LedgerRow> = {}): LedgerRow =>
    ({ id: name, name, email: `${name}@kelpwick.example`, rights: ['see', 'take'], cells: [of], saying: `${name} says`, status: 'waiting', anyone: false, removed: false, last_seen_at: null, ...more }) as never; // prettier-ignore
  const show = (...rows: LedgerRow[]) =>
    render(Ledger, { ledger: { items: [cut], rows } as never, count: 1, more: vi.fn() });
  const cells = () => [...document.querySelectorAll('.row .words')].map((c) => c.textContent);

  it('says in each cell what was taken, begun, looked at, or may be', () => {
    const look = { rights: ['see'] } as never;
    show(
      row('all', cell({ complete: true, brief: 'took' })),
      row('part', cell({ delivered: 330, brief: '330 bytes of 1.0 kB' })),
      row('old', cell({ behind: true, brief: 'older version' })),
      row('looked', cell({ looked_at: '2026-11-20T10:00:00Z', brief: 'looked' })),
      row('nothing', cell()),
      row('may look', cell(), look),
      row('neither', cell(), { rights: ['note'] } as never),
    );
    expect(cells()).toEqual(['took', '330 bytes of 1.0 kB', 'older version', 'looked', '', 'may look', '–']);
  });

  it('draws which bytes were delivered and which seconds played', () => {
    const bytes = [
      { start: 0, end: 250 },
      { start: 500, end: 1000 },
    ];
    show(row('part', cell({ delivered: 750, bytes, played: [{ start: 5000, end: 10_000 }], saying: '750 bytes' })));
    const strip = screen.getByRole('img', { name: 'part, cut.mov: 750 bytes' });
    const drawn = (name: string) =>
      [...strip.style.getPropertyValue(name).matchAll(/var\(--\w+\) (\d+)% (\d+)%/g)].map((m) => [m[1], m[2]]);
    expect(drawn('--bar')).toEqual([
      ['0', '25'],
      ['50', '100'],
    ]);
    expect(drawn('--played')).toEqual([['50', '100']]);
  });

  it('opens into every item by name', async () => {
    show(row('Hanne', cell({ saying: 'all, in two goes' })));
    const table = within(screen.getByRole('table'));
    await userEvent.click(table.getByRole('button', { name: 'Hanne' }));
    expect(table.getByRole('listitem')).toHaveTextContent('cut.mov: all, in two goes');
    expect(table.getByRole('button', { name: 'Hanne' })).toHaveAttribute('aria-expanded', 'true');
  });

  it('shows the formats of one thing beside each other, each counted for itself', () => {
    const items = [cut, item('other.wav'), item('cut.mp4', { lead: 'cut.mov' })];
    const of = (id: string, delivered: number) =>
      cell({ item: id, delivered, saying: `${delivered} bytes`, brief: `${delivered} bytes` });
    const hanne = row('Hanne', cell(), { cells: [of('cut.mov', 1), of('other.wav', 2), of('cut.mp4', 3)] });
    render(Ledger, { ledger: { items, rows: [hanne] } as never, count: 3, more: vi.fn() });
    const said = (selector: string) => [...document.querySelectorAll(selector)].map((e) => e.textContent!.replace('\u200b', '').trim()); // prettier-ignore
    expect(said('.head strong')).toEqual(['cut.mov', 'other.wav']);
    expect(said('.head .figure')).toEqual(['MOV 1.0 kB', 'MP4 1.0 kB', '1.0 kB']);
    expect(cells()).toEqual(['1 bytes', '3 bytes', '2 bytes']);
  });

  it('keeps whoever was taken off', () => {
    show(row('Hanne', cell({ complete: true, brief: 'took' }), { removed: true }));
    expect(screen.getAllByText('taken off the waybill')[0]).toBeVisible();
    expect(cells()).toEqual(['took']);
  });
});

describe('the ledger of very many', () => {
  it('draws only what is in sight, however much there is', () => {
    const items = Array.from({ length: 200 }, (_, i) => item(`take ${i}.mov`));
    const cells = items.map((i) => ({ item: i.id, bytes: [], played: [], brief: '', saying: 'nothing yet' }));
    const rows = Array.from({ length: 20 }, (_, i) => ({ id: `r${i}`, name: `Reader ${i}`, rights: ['take'], cells, saying: '', status: 'not_opened' })); // prettier-ignore
    render(Ledger, { ledger: { items, rows, next: '' } as never, count: 200, more: vi.fn() });
    const table = screen.getByRole('table');
    expect(table).toHaveAttribute('aria-colcount', '201');
    expect(table.querySelectorAll('.row:not(.head) .cell').length).toBeLessThan(20 * 8);
    expect(within(table).getAllByRole('rowheader')).toHaveLength(20);
  });

  it('is a card for each person under a thumb, with the items on a tap', async () => {
    const items = [item('cut.mov'), item('guide.wav')];
    const cells = items.map((i) => ({ item: i.id, bytes: [], played: [], brief: 'took', complete: true, saying: 'took it' })); // prettier-ignore
    vi.spyOn(HTMLElement.prototype, 'clientWidth', 'get').mockReturnValue(358);
    const rows = [{ id: 'h', name: 'Hanne', rights: ['take'], cells, saying: 'has everything', status: 'everything' }];
    render(Ledger, { ledger: { items, rows, next: '' } as never, count: 2, more: vi.fn() });
    const card = within(screen.getByRole('list', { name: 'Who has what' }));
    expect(card.getByText('has everything')).toBeInTheDocument();
    await userEvent.click(card.getByRole('button', { name: '2 items of Hanne' }));
    expect(card.getAllByText('took')).toHaveLength(2);
    expect(screen.queryByRole('table')).toBeNull();
    vi.restoreAllMocks();
  });
});

describe('the notes of a package', () => {
  const at = (id: string, of: string, us: number, more = {}) => note(id, of, { anchor: { when: 'moment', at_us: us }, at: '2026-11-20T10:00:00Z', ...more } as never); // prettier-ignore
  const show = (...notes: ReturnType<typeof note>[]) =>
    render(Notes, { parcel: parcel({ items: [item('a.mov'), item('b.mov')] }), notes, reload });

  it('come by what is open, then by item, then by moment', () => {
    show(at('1', 'b.mov', 5), at('2', 'a.mov', 9), at('3', 'a.mov', 2, { done: true }), at('4', 'a.mov', 1), at('5', 'gone', 0)); // prettier-ignore
    expect(screen.getAllByText(/^note \d$/).map((n) => n.textContent)).toEqual(['note 4', 'note 2', 'note 5', 'note 1', 'note 3']); // prettier-ignore
    expect(screen.getByText('an item that was withdrawn')).toBeVisible();
  });

  it('say where they lie, and what only the studio sees', () => {
    show(
      note('1', 'a.mov', {
        at: '2026-11-20T10:00:00Z',
        anchor: { where: 'area', page: 3, x: 1, y: 1, w: 5, h: 5 },
      } as never),
      at('2', 'a.mov', 5, { place: { label: '00:00:05:00', until_label: '00:00:09:00' }, private: true }),
      note('3', 'b.mov', {
        at: '2026-11-20T10:00:00Z',
        anchor: {},
        answers: [{ id: 'x', author: 'Marit', says: 'ours', private: true }],
      } as never),
    );
    expect(screen.getAllByRole('link').map((a) => a.textContent).sort()).toEqual(['00:00:05:00 to 00:00:09:00', 'page 3, an area', 'whole piece']); // prettier-ignore
    expect(screen.getAllByText('only the studio')).toHaveLength(2);
  });

  it('lead to their moment in the Room', () => {
    show(at('1', 'a.mov', 5));
    expect(screen.getByRole('link')).toHaveAttribute('href', '/packages/p1/room?item=a.mov&note=1');
  });

  it('are ticked off and taken up again', async () => {
    studio.answers('PUT /api/v1/notes/*/done');
    show(at('1', 'a.mov', 5), at('2', 'a.mov', 6, { done: true }));
    const [open, done] = screen.getAllByRole('article');
    await userEvent.click(within(open!).getByRole('button', { name: 'Done' }));
    await userEvent.click(within(done!).getByRole('button', { name: 'Done ✓' }));
    expect(studio.asked.map((a) => [a.line.split('/').at(-2), a.body])).toEqual([
      ['1', { done: true }],
      ['2', { done: false }],
    ]);
  });

  it('keep an answer that is refused', async () => {
    studio.refuses('POST /api/v1/notes/*/answers', 'The package has ended.');
    show(at('1', 'a.mov', 5));
    await userEvent.type(screen.getByRole('textbox'), 'Mirrored.{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('The package has ended.');
    expect(screen.getByRole('textbox')).toHaveValue('Mirrored.');
  });
});

describe('the Horizon', () => {
  beforeEach(() => {
    vi.spyOn(HTMLElement.prototype, 'clientWidth', 'get').mockReturnValue(1216);
  });
  const now = new Date('2026-11-25T12:00:00Z');
  const days = (n: number) => new Date(now.getTime() + n * 86_400_000).toISOString();
  const strand = (name: string, more = {}) => ({ id: name, name, status: 'waiting', saying: 'has nothing', opened_at: null, completed_at: null, ...more }); // prettier-ignore
  const row = (title: string, more: object) => ({ id: title, title, state: 'out', share: '1 of 2', left: '3 days', created_at: days(-5), ...more }) as unknown as PackageRow; // prettier-ignore
  const x = (selector: string, name: string) =>
    [...document.querySelectorAll(selector)].map((line) => Number(line.getAttribute(name)));

  it('runs from left to right: sent, taken, now, ends', () => {
    const strands = [strand('Hanne', { completed_at: days(-2) }), strand('Tomos')];
    render(Horizon, { rows: [row('Cut 3', { sent_at: days(-4), ends_at: days(3), strands })], now });
    const [has] = x('.has', 'x1');
    const [today] = x('.now', 'x1');
    const [end] = x('.end', 'x1');
    const [sent] = x('.waiting', 'x1');
    expect([sent, has, today, end].map(Number)).toEqual([sent, has, today, end].map(Number).sort((a, b) => a - b));
    expect(x('.has', 'x2')).toEqual([today]);
    expect(document.querySelectorAll('.waiting')).toHaveLength(2);
  });

  it('takes a look for all that whoever may only look can have', () => {
    const strands = [strand('Tomos', { status: 'looked', opened_at: days(-1) })];
    render(Horizon, { rows: [row('Cut 3', { sent_at: days(-4), ends_at: days(3), strands })], now });
    expect(document.querySelectorAll('.has')).toHaveLength(1);
  });

  it('says the same in words', () => {
    const strands = [strand('Hanne'), strand('Tomos', { saying: 'has everything' })];
    render(Horizon, { rows: [row('Cut 3', { sent_at: days(-4), ends_at: days(3), strands })], now });
    expect(screen.getByRole('link')).toHaveAccessibleName('Cut 3: 1 of 2, 3 days left. Hanne has nothing; Tomos has everything'); // prettier-ignore
  });

  it('keeps what ends far away on the sheet', () => {
    render(Horizon, { rows: [row('Long', { sent_at: days(-90), ends_at: days(400), strands: [] })], now });
    expect(x('.ahead', 'x2')[0]).toBeLessThanOrEqual(1216);
    expect(x('.end', 'x1')).toEqual([]); // it lies beyond
    expect(x('.ahead', 'x1')[0]).toBeGreaterThanOrEqual(0);
  });
});
