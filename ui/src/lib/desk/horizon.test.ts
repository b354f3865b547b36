import { fireEvent, render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { PackageRow } from '$api/client';
import { undo } from '$lib/undo.svelte';
import { studio } from '../../tests/studio';
import Horizon from './Horizon.svelte';
import * as sheet from './horizon';

const now = new Date('2026-11-25T12:00:00Z');
const days = (n: number) => new Date(now.getTime() + n * sheet.day).toISOString();
const strand = (name: string, more = {}) => ({ id: name, name, status: 'opened', saying: 'has nothing', outstanding: true, anyone: false, zone: '', opened_at: null, completed_at: null, ...more }); // prettier-ignore
const row = (title: string, more: object = {}) => ({ id: title, title, client: '', state: 'out', share: '1 of 2 have it', left: '3 days', created_at: days(-5), sent_at: days(-4), ends_at: days(3), reminders: [72, 24, 3], zone: 'Europe/London', strands: [], ...more }) as unknown as PackageRow; // prettier-ignore

describe('the sheet of time', () => {
  it('holds all that is out, but no more than three weeks back and five ahead', () => {
    const w = sheet.fit([row('Long', { sent_at: days(-90), ends_at: days(400) })], now.getTime());
    expect([(now.getTime() - w.from) / sheet.day, (w.until - now.getTime()) / sheet.day]).toEqual([21, 35]);
    expect(sheet.fit([], now.getTime()).until).toBe(now.getTime() + 4 * sheet.day);
  });

  it('zooms around a moment that stays where it is, within bounds', () => {
    const w = { from: 0, until: 10 * sheet.day };
    expect(sheet.zoom(w, 2, 4 * sheet.day)).toEqual({ from: 2 * sheet.day, until: 7 * sheet.day });
    expect(sheet.zoom(w, 1e9, 0)).toEqual({ from: 0, until: sheet.least });
    expect(sheet.zoom(w, 1e-9, 0).until).toBe(sheet.most);
  });

  it('slides, and not out of all that is', () => {
    const w = { from: 0, until: sheet.day };
    expect(sheet.slide(w, 0.5, 0)).toEqual({ from: sheet.day / 2, until: 1.5 * sheet.day });
    expect(sheet.slide(w, 1e6, 0).from).toBe(730 * sheet.day);
    expect(sheet.slide(w, -1e6, 0).from).toBe(-730 * sheet.day);
  });

  it('is marked by hours, days, weeks or months, each label with room', () => {
    const labels = (long: number) =>
      sheet.marks({ from: now.getTime(), until: now.getTime() + long }, 1000).filter((m) => m.label);
    for (const long of [8 * sheet.hour, sheet.day, 4 * sheet.day, 30 * sheet.day, 400 * sheet.day]) {
      const some = labels(long);
      expect(some.length).toBeGreaterThan(1);
      for (let i = 1; i < some.length; i++)
        expect(((some[i]!.at - some[i - 1]!.at) / long) * 1000).toBeGreaterThan(long > 100 * sheet.day ? 60 : 99);
    }
    expect(labels(30 * sheet.day).every((m) => new Date(m.at).getDay() === 1)).toBe(true);
    expect(labels(400 * sheet.day).every((m) => new Date(m.at).getDate() === 1)).toBe(true);
    expect(sheet.marks({ from: 0, until: 1e15 }, 1).length).toBeLessThan(1500);
  });

  it('says an end as wall-clock time in a zone, also where the hour is changed', () => {
    expect(sheet.local(Date.parse('2026-12-04T18:00:00Z'), 'Europe/London')).toBe('2026-12-04T18:00');
    expect(sheet.local(Date.parse('2026-12-04T23:30:00Z'), 'Australia/Adelaide')).toBe('2026-12-05T10:00');
    expect(sheet.local(Date.parse('2026-06-04T23:00:00Z'), 'Europe/London')).toBe('2026-06-05T00:00');
  });

  it('sets an end that is dragged on the hour, or on a quarter of it from near', () => {
    const at = Date.parse('2026-12-04T18:21:00Z');
    expect(new Date(sheet.snapped(at, sheet.hour / 2)).toISOString()).toBe('2026-12-04T18:00:00.000Z');
    expect(new Date(sheet.snapped(at, sheet.hour / 60)).toISOString()).toBe('2026-12-04T18:15:00.000Z');
  });

  it('says the same moment on the clocks of others, each once', () => {
    const strands = [strand('Ines', { zone: 'Europe/Paris' }), strand('Oda', { zone: 'Europe/Paris' }), strand('Tomos', { zone: 'America/New_York' }), strand('Wil', { zone: 'Europe/London' }), strand('?')]; // prettier-ignore
    expect(sheet.clocks(row('a', { strands }), Date.parse('2026-12-04T18:00:00Z'), 'Europe/London')).toEqual([
      'Fri 19:00 in Paris',
      'Fri 13:00 in New York',
    ]);
  });

  it('counts how a band fills, and which reminders are due', () => {
    const strands = [strand('a', { completed_at: days(-1) }), strand('b'), strand('c', { status: 'looked', opened_at: days(-2), outstanding: false })]; // prettier-ignore
    expect(sheet.risings(strands as never)).toEqual([
      { at: Date.parse(days(-2)), have: 1 },
      { at: Date.parse(days(-1)), have: 2 },
    ]);
    expect(sheet.reminders(row('a', { strands, ends_at: days(2) }), now.getTime())).toEqual([
      Date.parse(days(1)),
      Date.parse(days(2)) - 3 * sheet.hour,
    ]);
    expect(sheet.reminders(row('a', { strands: [strand('x', { outstanding: false })] }), now.getTime())).toEqual([]);
  });

  it('lays packages by client, the nearest end first, those for none last', () => {
    const all = [
      row('c', { client: 'Museum', ends_at: days(9) }),
      row('b', { client: 'Museum', ends_at: days(1), state: 'closing' }),
      row('a', { ends_at: days(0.5), strands: [strand('Tove Lind')] }),
      row('d', { client: 'Ceramics', ends_at: days(4) }),
    ];
    const by = sheet.groups(sheet.wanted(all, '', 'all'));
    expect(by.map((g) => [g.client, g.rows.map((r) => r.id).join(''), g.soon])).toEqual([
      ['Museum', 'bc', 1],
      ['Ceramics', 'd', 0],
      ['', 'a', 0],
    ]);
    const found = (words: string, show: sheet.Show = 'all') => sheet.wanted(all, words, show).map((r) => r.id).join(''); // prettier-ignore
    expect([
      found('muse'),
      found('tove LIND'),
      found('lind muse'),
      found('', 'soon'),
      found('', 'outstanding'),
    ]).toEqual(['bc', 'a', '', 'b', 'a']);
  });
});

describe('the Horizon by hand', () => {
  beforeEach(() => {
    vi.spyOn(HTMLElement.prototype, 'clientWidth', 'get').mockReturnValue(1216);
  });
  beforeEach(() => undo.forget());
  const strands = [strand('Hanne', { zone: 'Europe/Paris' }), strand('Tomos', { completed_at: days(-1), outstanding: false })]; // prettier-ignore
  const end = () => screen.getByRole('slider', { name: /^End of Cut 3/ });
  const sheetOf = () => screen.getByRole('group', { name: /^Horizon/ });
  const show = (more: PackageRow[] = []) => {
    const changed = vi.fn();
    render(Horizon, { rows: [row('Cut 3', { strands, client: 'Museum' }), ...more], now, changed });
    return changed;
  };

  it('moves an end by keys, says it on both clocks, and takes it back', async () => {
    studio.answers('POST /api/v1/packages/*/extend', {});
    const changed = show();
    end().focus();
    await userEvent.keyboard('{ArrowRight}{Shift>}{ArrowRight}{/Shift}');
    expect(end()).toHaveAttribute('aria-valuetext', expect.stringContaining('in Paris'));
    expect(studio.sent('POST /api/v1/packages/Cut%203/extend')).toEqual([]);
    await userEvent.keyboard('{Enter}');
    const at = sheet.local(Date.parse(days(4)) + sheet.hour, 'Europe/London');
    await vi.waitFor(() => expect(changed).toHaveBeenCalledTimes(1));
    expect(studio.sent('POST /api/v1/packages/Cut%203/extend')).toEqual([
      { kind: 'at', local: at, zone: 'Europe/London' },
    ]);
    await undo.take();
    expect(studio.sent('POST /api/v1/packages/Cut%203/extend')[1]).toMatchObject({ local: sheet.local(Date.parse(days(3)), 'Europe/London') }); // prettier-ignore
  });

  it('lets go of an end without a word on Escape, and when one goes elsewhere', async () => {
    const changed = show();
    const before = end().getAttribute('aria-valuenow');
    end().focus();
    await userEvent.keyboard('{ArrowRight}{Escape}');
    expect(end()).toHaveAttribute('aria-valuenow', before);
    await userEvent.keyboard('{ArrowLeft}');
    await userEvent.tab();
    expect(end()).toHaveAttribute('aria-valuenow', before);
    expect(changed).not.toHaveBeenCalled();
  });

  it('never moves an end into the past', async () => {
    show();
    end().focus();
    await userEvent.keyboard('{Shift>}' + '{ArrowLeft}'.repeat(9) + '{/Shift}');
    expect(Number(end().getAttribute('aria-valuenow')) * 1000).toBeGreaterThan(now.getTime());
  });

  it('moves an end by pointer, and keeps it where the server refuses', async () => {
    studio.refuses('POST /api/v1/packages/*/extend', 'The package is cleared.');
    const changed = show();
    const before = Number(end().getAttribute('aria-valuenow'));
    await fireEvent.pointerDown(end(), { button: 0, clientX: 500 });
    await fireEvent.pointerMove(end(), { clientX: 600 });
    expect(Number(end().getAttribute('aria-valuenow'))).toBeGreaterThan(before);
    await fireEvent.pointerUp(end());
    expect(await screen.findByRole('alert')).toHaveTextContent('The package is cleared.');
    expect(Number(end().getAttribute('aria-valuenow'))).toBe(before);
    expect(changed).not.toHaveBeenCalled();
  });

  it('zooms and scrolls by keys, and shows all of it again', async () => {
    show();
    const place = () => Number(document.querySelector('.now')?.getAttribute('x1') ?? NaN);
    const before = place();
    screen.getByRole('link', { name: /^Cut 3/ }).focus();
    await userEvent.keyboard('{ArrowRight}');
    expect(place()).toBeLessThan(before);
    await userEvent.keyboard('+');
    await userEvent.click(screen.getByRole('button', { name: 'Show all of it' }));
    expect(place()).toBe(before);
    await fireEvent.wheel(sheetOf(), { deltaX: 9000 });
    expect(place()).toBeNaN();
  });

  it('reminds those who wait, and says who', async () => {
    studio.answers('POST /api/v1/packages/*/remind', { reminded: ['Hanne'], left: [] });
    show();
    screen.getByRole('link', { name: /^Cut 3/ }).focus();
    await userEvent.keyboard('r');
    await vi.waitFor(() => expect(undo.said).toBe('Cut 3: reminded Hanne.'));
  });

  it('asks before it stops', async () => {
    studio.answers('POST /api/v1/packages/*/stop', {});
    const changed = show();
    screen.getByRole('link', { name: /^Cut 3/ }).focus();
    await userEvent.keyboard('s');
    await userEvent.click(await screen.findByRole('button', { name: 'Stop it now', hidden: true }));
    await vi.waitFor(() => expect(changed).toHaveBeenCalledTimes(1));
  });

  it('folds clients, and walks what is left by arrow keys', async () => {
    show([row('Glaze', { client: 'Ceramics', ends_at: days(6) })]);
    await userEvent.click(screen.getByRole('button', { name: /^Ceramics/ }));
    expect(screen.queryByRole('link', { name: /^Glaze/ })).toBeNull();
    expect(screen.getByRole('button', { name: /^Ceramics/ })).toHaveTextContent('1 out');
    screen.getByRole('button', { name: /^Museum/ }).focus();
    await userEvent.keyboard('{ArrowDown}');
    expect(screen.getByRole('link', { name: /^Cut 3/ })).toHaveFocus();
  });

  it('stays readable with hundreds: folded but for what ends soon, found by words', async () => {
    const many = Array.from({ length: 200 }, (_, i) =>
      row(`P${i}`, { client: `Client ${i % 20}`, ends_at: days(1 + i / 10), state: i === 7 ? 'closing' : 'out' }),
    );
    show(many);
    expect(document.querySelectorAll('.title').length).toBeLessThan(20);
    expect([...document.querySelectorAll('.title')].some((l) => l.textContent === 'P7')).toBe(true);
    const find = screen.getByRole('textbox', { name: 'Find in the Horizon' });
    await fireEvent.input(find, { target: { value: 'P19' } });
    expect(document.querySelectorAll('.title')).toHaveLength(11);
    await fireEvent.input(find, { target: { value: 'P19 zeppelin' } });
    expect(screen.getByText(/Nothing that is out is like that/)).toBeVisible();
  });
});
