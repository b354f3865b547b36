import type { Schemas } from '$api/client';

type Cell = Schemas['Cell'];

/** How high a curve may be: the most that any part of the piece was played, and at least once. */
export const top = (curve: Cell[]) => Math.max(1, ...curve.map((c) => c.times));

/**
 * A curve as an SVG path that fills it, in a box of the given width and height: one step for each part of the piece,
 * as high as it was played often. Parts that are alike are one step.
 */
export function drawn(curve: Cell[], highest: number, width: number, height: number): string {
  let path = `M0 ${height}`;
  let before = -1;
  curve.forEach((cell, i) => {
    const y = Math.round((1 - Math.min(1, cell.times / highest)) * height * 10) / 10;
    if (y === before) return;
    path += `H${Math.round((i / curve.length) * width * 10) / 10}V${y}`;
    before = y;
  });
  return path + `H${width}V${height}Z`;
}

/** Which part of a piece lies under a place, as a share of its length from 0 to 1. */
export const under = (curve: Cell[], share: number) =>
  Math.min(curve.length - 1, Math.max(0, Math.floor(share * curve.length)));

/** A number of times, as it is said: "once", "2 times", "1.5 times". */
export function times(n: number): string {
  const rounded = Math.round(n * 10) / 10;
  return rounded === 0 ? 'not played' : rounded === 1 ? 'played once' : `played ${rounded} times`;
}
