// Timecode for display while a piece plays. The rules are those of core/timecode
// and are held to its vectors; what is saved is always worked out by the server.

import type { Facts } from '$api/client';

export interface Timeline {
  num: number;
  den: number;
  drop: boolean;
  /** frame count of the start label */
  start: number;
}

/** The timeline of a film; null for anything that is not counted in frames. */
export function timelineOf(facts: Facts): Timeline | null {
  if (!facts.rate_num || !facts.rate_den) return null;
  const line = { num: facts.rate_num, den: facts.rate_den, drop: facts.drop ?? false, start: 0 };
  const s = facts.start;
  if (s) line.start = count(line, s.Hours, s.Minutes, s.Seconds, s.Frames);
  return line;
}

const nominal = (line: Timeline) => Math.ceil(line.num / line.den);
const dropped = (line: Timeline) => (line.drop ? nominal(line) / 15 : 0);

function count(line: Timeline, h: number, m: number, s: number, f: number): number {
  const minutes = h * 60 + m;
  return (minutes * 60 + s) * nominal(line) + f - dropped(line) * (minutes - Math.floor(minutes / 10));
}

export function parseStart(line: Timeline, label: string): number {
  const [h = 0, m = 0, s = 0, f = 0] = label.split(/[:;.]/).map(Number);
  return count(line, h, m, s, f);
}

/** The label of a frame, HH:MM:SS:FF or HH:MM:SS;FF. */
export function label(line: Timeline, frame: number): string {
  const rate = nominal(line);
  const drop = dropped(line);
  const perDay = 1440 * 60 * rate - drop * (1440 - 144);
  let n = (((frame + line.start) % perDay) + perDay) % perDay;
  if (drop) {
    const perMinute = 60 * rate - drop;
    const perTen = 600 * rate - 9 * drop;
    const rest = n % perTen;
    n += Math.floor(n / perTen) * 9 * drop;
    if (rest >= 60 * rate) n += drop * (1 + Math.floor((rest - 60 * rate) / perMinute));
  }
  const two = (value: number) => String(Math.floor(value)).padStart(2, '0');
  return `${two(n / (3600 * rate))}:${two((n / (60 * rate)) % 60)}:${two((n / rate) % 60)}${line.drop ? ';' : ':'}${two(n % rate)}`;
}

/** The frame on screen at a time of the player, in seconds. */
export const frameAt = (line: Timeline, seconds: number) => Math.floor((seconds * line.num) / line.den + 1e-4);

/** A time safely inside a frame, in seconds: browsers round, so not its very beginning. */
export const inside = (line: Timeline, frame: number) => ((frame + 0.5) * line.den) / line.num;

/** A length as people say it: 0:30 or 1:02:11. */
export function short(seconds: number): string {
  const s = Math.max(0, Math.floor(seconds));
  const two = (value: number) => String(Math.floor(value)).padStart(2, '0');
  return s < 3600
    ? `${Math.floor(s / 60)}:${two(s % 60)}`
    : `${Math.floor(s / 3600)}:${two((s / 60) % 60)}:${two(s % 60)}`;
}

/** HH:MM:SS.mmm for sounds. */
export function clock(seconds: number): string {
  const ms = Math.max(0, Math.floor(seconds * 1000));
  const two = (value: number) => String(Math.floor(value)).padStart(2, '0');
  return `${two(ms / 3_600_000)}:${two((ms / 60_000) % 60)}:${two((ms / 1000) % 60)}.${String(ms % 1000).padStart(3, '0')}`;
}
