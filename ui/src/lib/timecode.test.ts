import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { frameAt, inside, label, parseStart } from './timecode';

interface Vector {
  num: number;
  den: number;
  drop: boolean;
  start: string;
  frame: number;
  label: string;
}

describe('timecode in the browser', () => {
  // Source: core/timecode/testdata/vectors.json, made by the Go package.
  const vectors = JSON.parse(readFileSync('../core/timecode/testdata/vectors.json', 'utf8')) as Vector[];

  it('labels every vector as the server does', () => {
    expect(vectors.length).toBeGreaterThan(80);
    for (const v of vectors) {
      const line = { num: v.num, den: v.den, drop: v.drop, start: 0 };
      line.start = parseStart(line, v.start);
      expect(label(line, v.frame)).toBe(v.label);
    }
  });

  it('finds the frame again from a time inside it', () => {
    for (const v of vectors) {
      const line = { num: v.num, den: v.den, drop: v.drop, start: 0 };
      for (const frame of [0, 1, 59, 1798, 107_892]) {
        expect(frameAt(line, inside(line, frame))).toBe(frame);
        expect(frameAt(line, (frame * v.den) / v.num)).toBe(frame);
      }
    }
  });
});
