import type { Anchor, Stroke } from '$api/client';

/** The whole width or height of a picture, as strokes and spots count it. */
export const side = 10_000;
/** The colours of a sketch: they are told apart by how light they are, too. */
export const colours = ['--sketch-1', '--sketch-2', '--sketch-3'] as const;
export const colourNames = ['Signal', 'Chalk', 'Ink'] as const;
export const tools = [
  { name: 'pen', word: 'Pen' },
  { name: 'arrow', word: 'Arrow' },
  { name: 'box', word: 'Box' },
  { name: 'ellipse', word: 'Ellipse' },
] as const;
export type Tool = (typeof tools)[number]['name'];
const mostPoints = 2000;

type Point = number[];

const x = (p: Point | undefined) => p?.[0] ?? 0;
const y = (p: Point | undefined) => p?.[1] ?? 0;

/** A place of the pointer over a box on screen, in ten-thousandths of it, kept within it. */
export function placeIn(
  box: { left: number; top: number; width: number; height: number },
  at: { clientX: number; clientY: number },
): Point {
  const clamp = (v: number) => Math.min(side, Math.max(0, Math.round(v * side)));
  return [clamp((at.clientX - box.left) / (box.width || 1)), clamp((at.clientY - box.top) / (box.height || 1))];
}

/** A stroke with a further point: a pen draws on, the shapes have two. Points nearer than the eye sees are left out. */
export function drawOn(stroke: Stroke, to: Point): Stroke {
  const [first] = stroke.points;
  if (stroke.tool !== 'pen') return { ...stroke, points: [first ?? to, to] };
  const last = stroke.points.at(-1);
  if (stroke.points.length >= mostPoints) return stroke;
  if (last && Math.hypot(x(last) - x(to), y(last) - y(to)) < 12) return stroke;
  return { ...stroke, points: [...stroke.points, to] };
}

/** Whether a stroke is more than a slip of the finger. */
export function counts(stroke: Stroke): boolean {
  if (stroke.tool === 'pen') return stroke.points.length > 0;
  const [a, b] = stroke.points;
  return Math.hypot(x(a) - x(b), y(a) - y(b)) > 60;
}

/**
 * A stroke as an SVG path in a box of width × height, so that lines are as thick and heads as long in any shape of
 * picture.
 */
export function path(stroke: Stroke, width: number, height: number): string {
  const at = (p: Point | undefined): [number, number] => [(x(p) / side) * width, (y(p) / side) * height];
  const n = (v: number) => Math.round(v * 10) / 10;
  const [a, b] = [at(stroke.points[0]), at(stroke.points[1])];
  switch (stroke.tool) {
    case 'box':
      return `M${n(a[0])} ${n(a[1])}H${n(b[0])}V${n(b[1])}H${n(a[0])}Z`;
    case 'ellipse': {
      const [rx, ry] = [Math.abs(b[0] - a[0]) / 2, Math.abs(b[1] - a[1]) / 2];
      const [cx, cy] = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
      return `M${n(cx - rx)} ${n(cy)}a${n(rx)} ${n(ry)} 0 1 0 ${n(2 * rx)} 0a${n(rx)} ${n(ry)} 0 1 0 ${n(-2 * rx)} 0Z`;
    }
    case 'arrow': {
      const angle = Math.atan2(b[1] - a[1], b[0] - a[0]);
      const head = Math.min(0.045 * Math.hypot(width, height), 0.6 * Math.hypot(b[0] - a[0], b[1] - a[1]));
      const barb = (turn: number) => [b[0] - head * Math.cos(angle + turn), b[1] - head * Math.sin(angle + turn)];
      const [l, r] = [barb(0.45), barb(-0.45)];
      return `M${n(a[0])} ${n(a[1])}L${n(b[0])} ${n(b[1])}M${n(l[0]!)} ${n(l[1]!)}L${n(b[0])} ${n(b[1])}L${n(r[0]!)} ${n(r[1]!)}`;
    }
    default: {
      const all = stroke.points.map(at);
      if (all.length === 1) return `M${n(a[0])} ${n(a[1])}h0.1`;
      return all.map(([px, py], i) => `${i ? 'L' : 'M'}${n(px)} ${n(py)}`).join('');
    }
  }
}

/** An anchor on a spot, or on an area where the pointer was drawn over more than a little. */
export function placed(from: Point, to: Point): Pick<Anchor, 'where' | 'x' | 'y' | 'w' | 'h'> {
  const [w, h] = [Math.abs(x(from) - x(to)), Math.abs(y(from) - y(to))];
  if (w < 150 || h < 150) return { where: 'spot', x: x(from), y: y(from) };
  return { where: 'area', x: Math.min(x(from), x(to)), y: Math.min(y(from), y(to)), w, h };
}

/** An anchor without its place: its time and strokes stay. */
export function nowhere(anchor: Anchor): Anchor {
  const { when, at_us, until_us, strokes } = anchor;
  return {
    ...(when && { when }),
    ...(at_us !== undefined && { at_us }),
    ...(until_us !== undefined && { until_us }),
    ...(strokes && { strokes }),
  };
}
