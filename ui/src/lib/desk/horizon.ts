// How the Horizon lies on its sheet: which stretch of time is shown, where a moment stands, which lines belong together.
import type { PackageRow, Strand } from '$api/client';
import { onClock } from '$lib/time';

export const hour = 3_600_000;
export const day = 24 * hour;

/** A time, in milliseconds of the clock, in words. */
export const inWords = (at: number) => onClock(new Date(at));

/** The stretch of time that is shown, in milliseconds of the clock. */
export interface Window {
  from: number;
  until: number;
}
export const least = 6 * hour;
export const most = 500 * day;

const sent = (row: PackageRow) => Date.parse(row.sent_at ?? row.created_at);
export const ends = (row: PackageRow) => Date.parse(row.ends_at ?? '');

/** The stretch in which all of it lies, three weeks back and five ahead at most. */
export function fit(rows: PackageRow[], now: number): Window {
  const earliest = Math.min(...rows.map(sent), now - 3 * day);
  const latest = Math.max(...rows.map(ends).filter(Number.isFinite), now + 4 * day);
  return { from: Math.max(earliest - 0.6 * day, now - 21 * day), until: Math.min(latest, now + 35 * day) };
}

/** The window with everything nearer or further by a factor, around a moment that stays where it is. */
export function zoom(w: Window, by: number, around: number): Window {
  const span = Math.min(most, Math.max(least, (w.until - w.from) / by));
  const share = (around - w.from) / (w.until - w.from);
  return { from: around - share * span, until: around + (1 - share) * span };
}
/** The window moved by a share of its width; it stays within two years of now. */
export function slide(w: Window, share: number, now: number): Window {
  const span = w.until - w.from;
  const from = Math.min(now + 2 * 365 * day, Math.max(now - 2 * 365 * day, w.from + share * span));
  return { from, until: from + span };
}

export interface Mark {
  at: number;
  label: string;
  strong: boolean;
}
const steps = [hour, 3 * hour, 6 * hour, 12 * hour, day, 7 * day, 28 * day];
const dated = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short' });
const timed = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
const monthly = new Intl.DateTimeFormat('en-GB', { month: 'short', year: 'numeric' });

/** The marks of a window on the reader's clock: hours, days, weeks or months, so that labels have room. */
export function marks(w: Window, pixels: number, room = 108): Mark[] {
  const perPixel = (w.until - w.from) / Math.max(1, pixels);
  const step = steps.find((s) => s / perPixel >= room) ?? 28 * day;
  const fine = step >= 7 * day ? day : step; // days are drawn between weeks
  const out: Mark[] = [];
  const at = new Date(w.from);
  if (fine < day) at.setMinutes(0, 0, 0);
  else at.setHours(0, 0, 0, 0);
  for (let n = 0; n < 1500; n++) {
    // By the wall clock, so that a day with another number of hours is one day.
    if (n) {
      if (fine < day) at.setHours(at.getHours() + fine / hour);
      else at.setDate(at.getDate() + 1);
    } else if (fine < day) at.setHours(at.getHours() - (at.getHours() % (fine / hour)));
    const time = at.getTime();
    if (time > w.until) break;
    if (time < w.from) continue;
    const midnight = at.getHours() === 0;
    const strong =
      step >= 28 * day ? midnight && at.getDate() === 1 : step >= 7 * day ? midnight && at.getDay() === 1 : midnight;
    if (step >= 28 * day && fine === day && !strong && at.getDay() !== 1) continue;
    const label =
      step >= 28 * day ? (strong ? monthly.format(at) : '')
      : step >= 7 * day ? (strong ? dated.format(at) : '')
      : midnight ? dated.format(at)
      : timed.format(at); // prettier-ignore
    out.push({ at: time, label: label.replace(/,/g, ''), strong });
  }
  return out;
}

/** When somebody has what is theirs; who may only look has it from the moment they opened it. */
export function has(strand: Strand): number | null {
  const since = strand.completed_at ?? (strand.status === 'looked' ? strand.opened_at : null);
  return since ? Date.parse(since) : null;
}

/** How many of a band have what is theirs, step by step: from this moment on, so many. */
export function risings(strands: Strand[]): { at: number; have: number }[] {
  return strands
    .map(has)
    .filter((at): at is number => at !== null)
    .sort((a, b) => a - b)
    .map((at, i) => ({ at, have: i + 1 }));
}

/** When reminders are due, of a package of which somebody has not everything. */
export function reminders(row: PackageRow, now: number): number[] {
  if (!row.strands.some((s) => s.outstanding && !s.anyone)) return [];
  return row.reminders.map((hours) => ends(row) - hours * hour).filter((at) => at > now);
}

export type Show = 'all' | 'soon' | 'outstanding';
/** The rows that are looked for, what ends first first. */
export function wanted(rows: PackageRow[], words: string, show: Show): PackageRow[] {
  const looked = words.toLowerCase().split(/\s+/).filter(Boolean);
  return rows
    .filter((r) => show !== 'soon' || r.state === 'closing')
    .filter((r) => show !== 'outstanding' || r.strands.some((s) => s.outstanding))
    .filter((r) => {
      const text = [r.title, r.client, ...r.strands.map((s) => s.name)].join('\n').toLowerCase();
      return looked.every((word) => text.includes(word));
    })
    .sort((a, b) => ends(a) - ends(b));
}

export interface Group {
  client: string;
  rows: PackageRow[];
  soon: number;
}
/** The rows by client, the client with the nearest end first; those for none last. */
export function groups(rows: PackageRow[]): Group[] {
  const by: Record<string, Group> = {};
  for (const row of rows) {
    const group = (by[row.client] ??= { client: row.client, rows: [], soon: 0 });
    group.rows.push(row);
    if (row.state === 'closing') group.soon++;
  }
  return Object.values(by).sort((a, b) => Number(!a.client) - Number(!b.client) || ends(a.rows[0]!) - ends(b.rows[0]!));
}

/** A moment as wall-clock time in a zone, as the server takes it: 2026-12-04T18:00. */
export function local(at: number, zone: string): string {
  const part = Object.fromEntries(
    new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      hour: '2-digit',
      minute: '2-digit',
      hourCycle: 'h23',
    })
      .formatToParts(at)
      .map((p) => [p.type, p.value]),
  );
  return `${part.year}-${part.month}-${part.day}T${part.hour}:${part.minute}`;
}

/** An end that is dragged stands on the hour, or on a quarter of it where one sees that near. */
export function snapped(at: number, perPixel: number): number {
  const to = perPixel * 8 < hour ? hour / 4 : hour;
  return Math.round(at / to) * to;
}

/** The clocks of those who wait, other than the reader's, each zone once: "19:00 in Lisbon". */
export function clocks(row: PackageRow, at: number, mine: string): string[] {
  const said = (zone: string) =>
    new Intl.DateTimeFormat('en-GB', { timeZone: zone, weekday: 'short', hour: '2-digit', minute: '2-digit' }).format(at).replace(',', ''); // prettier-ignore
  const zones = [...new Set(row.strands.map((s) => s.zone).filter(Boolean))];
  return zones
    .filter((zone) => said(zone) !== said(mine))
    .map((zone) => `${said(zone)} in ${zone.split('/').at(-1)!.replace(/_/g, ' ')}`);
}

/** How far strands lie apart, in pixels, and as many as are drawn one by one. */
export const gap = 5;
const single = 6;

export interface Line {
  row: PackageRow;
  top: number; // of its title
  y: number; // of its first strand
  height: number; // from the first strand to the last
  band: boolean;
}
export interface Head {
  group: Group;
  top: number;
  shut: boolean;
  lines: Line[];
}
export interface Sheet {
  heads: Head[];
  height: number;
}
/** Where each client and each of their lines stands, from top to bottom, in pixels. */
export function lay(all: Group[], folded: (g: Group) => boolean, dense: boolean, narrow: boolean): Sheet {
  let y = 40;
  const heads = all.map((group): Head => {
    const shut = folded(group);
    const head: Head = { group, top: y, shut, lines: [] };
    if (shut || narrow || dense) y += 28;
    if (!shut)
      for (const row of group.rows) {
        const many = row.strands.length;
        if (dense && !narrow) {
          head.lines.push({ row, top: y - 3, y: y + 3, height: 10, band: true });
          y += 24;
        } else {
          const band = many > single;
          const height = band ? 26 : Math.max(0, many - 1) * gap;
          head.lines.push({ row, top: y, y: y + 28, height, band });
          y += 47 + height;
        }
      }
    y += dense ? 8 : 4;
    return head;
  });
  return { heads, height: y + 8 };
}
