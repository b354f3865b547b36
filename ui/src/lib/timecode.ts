// Timecode for display while a piece plays. The rules are those of core/time/timecode
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

const perDay = (line: Timeline) => 1440 * 60 * nominal(line) - dropped(line) * (1440 - 144);

function count(line: Timeline, h: number, m: number, s: number, f: number): number {
  const minutes = h * 60 + m;
  return (minutes * 60 + s) * nominal(line) + f - dropped(line) * (minutes - Math.floor(minutes / 10));
}

/**
 * The moment that somebody typed, in seconds from the first frame: a timecode of the piece, whole or its end ("2:10" is two
 * seconds and ten frames), a frame number ("f 812"), a clock time ("1:02.5"), or a step from where they are ("+10", "-1:00").
 * NaN where it is none.
 */
export function typed(text: string, line: Timeline | null, now: number): number {
  const t = text.trim();
  const frame = /^f(?:rame)?\s*(\d+)$/i.exec(t);
  if (frame && line) return inside(line, Number(frame[1]));
  const sign = /^[+−-]/.test(t) ? (t.startsWith('+') ? 1 : -1) : 0;
  const parts = t
    .replace(/^[+−-]/, '')
    .trim()
    .split(/[:;]/);
  if (!parts.every((p, i) => /^\d+$/.test(p) || (i === parts.length - 1 && /^\d+[.,]\d+$/.test(p)))) return NaN;
  const numbers = parts.map((p) => Number(p.replace(',', '.')));
  const clockTime = () => numbers.reduce((sum, n) => sum * 60 + n, 0);
  if (!line || /[.,]/.test(t) || numbers.length > 4)
    return numbers.length > 3 ? NaN : sign ? now + sign * clockTime() : clockTime();
  if (numbers.length === 1)
    return inside(line, sign ? Math.max(0, frameAt(line, now) + sign * numbers[0]!) : numbers[0]!);
  const [h, m, s, f] = [0, 0, 0, 0, ...numbers].slice(-4) as [number, number, number, number];
  if (m > 59 || s > 59 || f >= nominal(line)) return NaN;
  const frames = count(line, h, m, s, f);
  if (sign) return inside(line, Math.max(0, frameAt(line, now) + sign * frames));
  // Whole labels count from the start of the piece; shorter ones do where they are no label that lies in it.
  const at = frames - line.start;
  return inside(line, numbers.length === 4 ? (at < 0 ? at + perDay(line) : at) : frames);
}

export function parseStart(line: Timeline, label: string): number {
  const [h = 0, m = 0, s = 0, f = 0] = label.split(/[:;.]/).map(Number);
  return count(line, h, m, s, f);
}

/** The label of a frame, HH:MM:SS:FF or HH:MM:SS;FF. */
export function label(line: Timeline, frame: number): string {
  const rate = nominal(line);
  const drop = dropped(line);
  const day = perDay(line);
  let n = (((frame + line.start) % day) + day) % day;
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

/** The frame whose beginning lies nearest to a time, in seconds: that of a frame as the browser tells it. */
export const nearest = (line: Timeline, seconds: number) => Math.round((seconds * line.num) / line.den);

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
