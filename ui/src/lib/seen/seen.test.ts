import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { item } from '../../tests/made';
import { Line } from '../../tests/line';
import { studio } from '../../tests/studio';
import { drawn, times, top, under } from './curve';
import Now from './Now.svelte';
import Saw from './Saw.svelte';

const cells = (...n: number[]) => n.map((times) => ({ times, people: Math.min(1, times) }));

describe('a curve', () => {
  it('is one step for each part that differs from the one before', () => {
    expect(drawn(cells(1, 1, 2, 0), 2, 400, 20)).toBe('M0 20H0V10H200V0H300V20H400V20Z');
    expect(drawn([], 1, 400, 20)).toBe('M0 20H400V20Z');
  });
  it('is measured by what was played most, and by one play at least', () => {
    expect(top(cells(0, 0.4))).toBe(1);
    expect(top(cells(1, 3.5))).toBe(3.5);
  });
  it('is read under the pointer, also at its ends', () => {
    expect([-0.1, 0, 0.49, 0.5, 1].map((share) => under(cells(1, 2), share))).toEqual([0, 0, 0, 1, 1]);
  });
  it('is said in words', () => {
    expect([0, 1, 2, 1.46].map(times)).toEqual(['not played', 'played once', 'played 2 times', 'played 1.5 times']);
  });
});

const seer = (name: string, more: object = {}) =>
  ({ recipient: name, name, removed: false, saying: `has not looked at it yet`, curve: cells(0, 0, 0, 0), pages_ms: [], viewings: 0, seen_ms: 0, played_ms: 0, backs: [], left_at_ms: null, pages: 0, stayed_ms: 0, ...more }); // prettier-ignore
const film = item('cut.mov', { what: 'film', facts: { length_us: 40_000_000 } as never });

describe('what they saw', () => {
  it('shows a curve for all and one for each, and says where one points', async () => {
    studio.answers('GET /api/v1/items/cut.mov/seen', {
      item: 'cut.mov',
      length_ms: 40_000,
      curve: cells(1, 3, 1, 0),
      pages_ms: [],
      lefts_ms: [30_000],
      people: [
        seer('Hanne', {
          saying: 'saw 0:30 of 0:40, went back 1 time, left at 0:30',
          viewings: 1,
          curve: cells(1, 3, 1, 0),
          backs: [{ from: 20_000, to: 10_000 }],
          left_at_ms: 30_000,
        }),
        seer('Tomos'),
      ],
    });
    render(Saw, { item: film, says: { Hanne: 'took all of it' } });
    const people = within(await screen.findByRole('list', { name: 'Each of them' }));
    expect(people.getAllByRole('listitem').map((l) => l.textContent?.replace(/\s+/g, ' ').trim())).toEqual([
      'Hanne saw 0:30 of 0:40, went back 1 time, left at 0:30 took all of it',
      'Tomos has not looked at it yet',
    ]);
    const slider = screen.getByRole('slider', { name: 'A moment of cut.mov' });
    expect(slider).toHaveAttribute('aria-valuetext', '0:00, played once, by 1 of 2');
    slider.focus();
    await userEvent.keyboard('{ArrowRight}');
    expect(slider).toHaveAttribute('aria-valuetext', '0:10, played 3 times, by 1 of 2');
    expect(screen.getByText(/Whether somebody watched, no screen can tell/)).toBeVisible();
  });

  it('says for how long pages were in front', async () => {
    studio.answers('GET /api/v1/items/plan.pdf/seen', {
      item: 'plan.pdf',
      length_ms: 0,
      curve: [],
      pages_ms: [4000, 0, 65_000],
      lefts_ms: [],
      people: [
        seer('Hanne', { saying: 'had 2 of 3 pages in front for 1:09', viewings: 1, pages_ms: [4000, 0, 65_000] }),
      ],
    });
    render(Saw, { item: item('plan.pdf', { what: 'document', pages: 3 } as never), says: {} });
    const bars = within(await screen.findByRole('list', { name: 'Pages' }));
    expect(bars.getAllByRole('listitem').map((l) => l.getAttribute('aria-label'))).toEqual([
      'page 1: 0:04',
      'page 2: not in front',
      'page 3: 1:05',
    ]);
  });

  it('says that nobody has looked yet', async () => {
    studio.answers('GET /api/v1/items/cut.mov/seen', { item: 'cut.mov', length_ms: 40_000, curve: cells(0, 0, 0, 0), pages_ms: [], lefts_ms: [], people: [seer('Hanne')] }); // prettier-ignore
    render(Saw, { item: film, says: {} });
    expect(await screen.findByText('Nobody has looked at it yet.')).toBeVisible();
    expect(screen.queryByRole('slider')).toBeNull();
  });
});

describe('now', () => {
  beforeEach(() => void vi.useFakeTimers({ shouldAdvanceTime: true }));
  afterEach(() => void vi.useRealTimers());
  const present = (name: string, more: object = {}) =>
    ({ recipient: name, name, package: 'p1', title: 'Coast walk', item: 'i1', doing: 'plays', place: 1000, size: 10, rate: 0, saying: 'plays cut.mov at 0:01', ...more }); // prettier-ignore

  it('says who is here, and is gone when nobody is', async () => {
    let here = [present('Hanne')];
    studio.answers('GET /api/v1/now', () => here);
    render(Now);
    expect(await screen.findByRole('region', { name: 'Here now' })).toHaveTextContent(
      'Now Hanne plays cut.mov at 0:01 Coast walk',
    );
    here = [];
    Line.tells({ package: 'p1', what: 'presence' });
    await vi.advanceTimersByTimeAsync(2500);
    expect(screen.queryByRole('region', { name: 'Here now' })).toBeNull();
  });

  it('asks for a package of its own, and lists six', async () => {
    const people = Array.from({ length: 9 }, (_, i) => present(`P${i}`, { doing: 'takes', place: 5 }));
    studio.answers('GET /api/v1/now', people);
    render(Now, { parcel: 'p1' });
    expect(await screen.findByText('and 3 more')).toBeVisible();
    expect(screen.queryByRole('link')).toBeNull();
    const asked = studio.asked.length;
    Line.tells({ package: 'p2', what: 'presence' });
    await vi.advanceTimersByTimeAsync(1500);
    expect(studio.asked.length).toBe(asked);
  });
});
