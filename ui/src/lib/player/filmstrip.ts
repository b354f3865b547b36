/** One small picture of a filmstrip: from when to when, in seconds, and where it lies, in pixels. */
export interface Cell {
  from: number;
  to: number;
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Reads a WebVTT index whose cues name parts by media fragments: strip#xywh=x,y,w,h. */
export function cells(vtt: string): Cell[] {
  const out: Cell[] = [];
  const cue =
    /(\d+):(\d\d):(\d\d\.\d{3}) --> (\d+):(\d\d):(\d\d\.\d{3})\s*\n[^\n#]*#xywh=(?:pixel:)?(\d+),(\d+),(\d+),(\d+)/g;
  for (const m of vtt.matchAll(cue)) {
    const n = m.slice(1).map(Number) as [
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
    ];
    out.push({
      from: n[0] * 3600 + n[1] * 60 + n[2],
      to: n[3] * 3600 + n[4] * 60 + n[5],
      x: n[6],
      y: n[7],
      width: n[8],
      height: n[9],
    });
  }
  return out;
}

export function cellAt(index: Cell[], seconds: number): Cell | undefined {
  return index.find((c) => seconds < c.to) ?? index.at(-1);
}
