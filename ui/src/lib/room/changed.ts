import type { Facts, Schemas } from '$api/client';
import { timelineOf, type Timeline } from '$lib/timecode';

export type ChangeMap = Schemas['Map'];
export type Stretch = Schemas['Stretch'];

/** What each kind is called, and by which of its classes it is drawn. */
export const kinds: Record<Stretch['kind'], string> = {
  new: 'new',
  altered: 'altered',
  moved: 'moved',
  gone: 'gone',
  same: 'as it was',
};

/** How a piece is counted where versions are compared: a sound fifty times a second. */
export const countOf = (facts: Facts): Timeline => timelineOf(facts) ?? { num: 50, den: 1, drop: false, start: 0 };
export const micros = (line: Timeline, frame: number) => (frame * line.den * 1e6) / line.num;

/** Where a newer frame was in the older version; what is new was where it was put in. */
export function before(map: ChangeMap, frame: number): { frame: number; kept: boolean; stretch: Stretch | undefined } {
  const s = map.stretches.find((s) => s.from <= frame && frame < s.to);
  if (!s) return { frame: Math.min(frame, Math.max(0, map.old_frames - 1)), kept: false, stretch: undefined };
  const [now, old] = [s.to - s.from, s.old_end - s.old];
  const at =
    s.kind === 'new' ? s.old : s.old + (now === old ? frame - s.from : Math.round(((frame - s.from) * old) / now));
  return { frame: Math.min(at, Math.max(0, map.old_frames - 1)), kept: s.kind !== 'new', stretch: s };
}

/** How long each kind is altogether, in seconds, of those that there are. */
export function sums(map: ChangeMap, line: Timeline): { kind: Stretch['kind']; seconds: number }[] {
  return (Object.keys(kinds) as Stretch['kind'][])
    .map((kind) => ({
      kind,
      seconds: map.stretches
        .filter((s) => s.kind === kind)
        .reduce((sum, s) => sum + Math.max(s.to - s.from, s.old_end - s.old), 0),
    }))
    .filter((s) => s.seconds > 0)
    .map((s) => ({ ...s, seconds: micros(line, s.seconds) / 1e6 }));
}

/** The stretch that is not as it was which comes after a frame; the first one after the last. */
export function next(map: ChangeMap, frame: number): Stretch | undefined {
  const all = map.stretches.filter((s) => s.kind !== 'same');
  return all.find((s) => s.from > frame) ?? all[0];
}

/** Whether something that is not as it was lies at a frame: for what is gone, the second around where it was. */
export function changes(map: ChangeMap, frame: number, line: Timeline): boolean {
  const second = line.num / line.den;
  return map.stretches.some(
    (s) =>
      s.kind !== 'same' &&
      (s.kind === 'gone' ? Math.abs(s.from - frame) <= second / 2 : s.from <= frame && frame < s.to),
  );
}

/** A stretch in words. */
export function says(s: Stretch, line: Timeline): string {
  const seconds = (micros(line, Math.max(s.to - s.from, s.old_end - s.old)) / 1e6).toFixed(1);
  if (s.kind === 'altered') return `${s.sound ? 'sounds different' : 'looks different'}, ${seconds} s`;
  return `${kinds[s.kind]}, ${seconds} s`;
}

/** How much the louder of two pieces is turned down so that both are as loud (EBU R 128), as factors of their volume. */
export function levels(now: Facts, old: Facts): [now: number, old: number] {
  if (!now.measured || !old.measured) return [1, 1];
  const by = (now.lufs ?? 0) - (old.lufs ?? 0);
  const less = 10 ** (-Math.abs(by) / 20);
  return by > 0 ? [less, 1] : [1, less];
}
