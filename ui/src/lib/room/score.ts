import { begins, ends, type Laid } from './review.svelte';

/** A stretch of a piece that is in sight, in microseconds. */
export interface View {
  from: number;
  to: number;
}
const least = 200_000; // microseconds in sight at the nearest

/** Nearer (by below 1) or further, around a place that stays where it is. */
export function zoom(view: View, by: number, around: number, length: number): View {
  const span = Math.min(length, Math.max(Math.min(least, length), (view.to - view.from) * by));
  const share = (around - view.from) / (view.to - view.from || 1);
  return slide({ from: around - share * span, to: around + (1 - share) * span }, 0, length);
}
/** Earlier or later, within the piece. */
export function slide(view: View, by: number, length: number): View {
  const span = Math.min(view.to - view.from, length);
  const from = Math.min(Math.max(0, view.from + by), length - span);
  return { from, to: from + span };
}
/** Keeps a place in sight: a page on where it runs out at the end. */
export function follow(view: View, at: number, length: number): View {
  if (at >= view.from && at <= view.to) return view;
  const span = view.to - view.from;
  return slide({ from: at - span * 0.08, to: at + span * 0.92 }, 0, length);
}

const steps = [0.04, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400].map(
  (s) => s * 1_000_000,
);
/** Where the ruler has its marks: at most so many, at round times. */
export function marks(view: View, most: number): number[] {
  const step = steps.find((s) => (view.to - view.from) / s <= most) ?? steps.at(-1)!;
  const out: number[] = [];
  for (let at = Math.ceil(view.from / step) * step; at <= view.to; at += step) out.push(at);
  return out;
}

/** A note in its lane: where it lies and how much room its words have, in percent of the lane. */
export interface Drawn {
  note: Laid;
  left: number;
  /** of its span; 0 for a moment */
  width: number;
  /** until the next one in its row */
  room: number;
  /** those that lie over each other lie in rows of the lane, from 0 */
  row: number;
}
export interface Lane {
  name: string;
  notes: Drawn[];
  rows: number;
  /** those in sight that are not drawn: there is no room for them until one looks nearer */
  more: number;
}
/** At most so many rows in a lane; of what does not fit so much lies over the last that a mark can be pressed. */
const mostRows = 3;
/** Closer than this to the one before, in percent, a note has no words: it is a tick. */
const closest = 1.2;

/**
 * The notes in sight in lanes, one for each person, in the order of their first note; those that were carried along come
 * last. What lies nearer to another than tick, in percent, lies in a row below it, and where that is full it is not drawn:
 * however many notes there are, a lane has at most three marks for each tick.
 */
export function lanes(notes: Laid[], view: View, tick = 0.12): Lane[] {
  const names: string[] = [];
  const by: Record<string, Laid[]> = {};
  for (const n of notes.filter((n) => n.here.when)) {
    if (!by[n.lane]) {
      by[n.lane] = [];
      names.push(n.lane);
    }
    by[n.lane]!.push(n);
  }
  const span = view.to - view.from || 1;
  const at = (us: number) => ((us - view.from) / span) * 100;
  const late = (name: string) => Number(by[name]?.[0]?.away ?? false);
  names.sort((a, b) => late(a) - late(b));
  return names.map((name) => {
    const seen = by[name]!.filter((n) => ends(n.here) >= view.from && begins(n.here) <= view.to);
    const drawn: Drawn[] = [];
    const ended: number[] = []; // where the last one of each row ends
    const last: (Drawn | undefined)[] = [];
    for (const note of seen) {
      const begin = at(begins(note.here));
      const left = Math.max(0, begin);
      const width = note.here.when === 'span' ? Math.max(0.3, at(ends(note.here)) - left) : 0;
      let row = ended.findIndex((end) => end <= begin);
      if (row < 0 && ended.length < mostRows) row = ended.length;
      if (row < 0 && left - (last[mostRows - 1]?.left ?? -tick) < tick) continue; // a crowd at one place
      if (row < 0) row = mostRows - 1;
      ended[row] = begin + Math.max(width, tick);
      const before = last[row];
      if (before) before.room = begin - before.left < closest && !before.width ? 0 : begin - before.left;
      const one: Drawn = { note, left, width, room: 100 - left < closest ? 0 : 100 - left, row };
      last[row] = one;
      drawn.push(one);
    }
    return { name, notes: drawn, rows: Math.max(1, ended.length), more: seen.length - drawn.length };
  });
}
