import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { frameAt, inside, label, parseStart, typed } from './timecode';

interface Vector {
  num: number;
  den: number;
  drop: boolean;
  start: string;
  frame: number;
  label: string;
}

describe('timecode in the browser', () => {
  // Source: core/time/timecode/testdata/vectors.json, made by the Go package.
  const vectors = JSON.parse(readFileSync('../core/time/timecode/testdata/vectors.json', 'utf8')) as Vector[];

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

describe('what somebody types', () => {
  const line = { num: 25, den: 1, drop: false, start: 36_000 * 25 };
  const frame = (text: string, now = 0) => Math.floor(typed(text, line, now) * 25);
  it.each([
    ['10:00:41:12', 41 * 25 + 12],
    ['41:12', 41 * 25 + 12],
    ['1:00:00', 60 * 25],
    ['812', 812],
    ['f 812', 812],
    ['frame812', 812],
    ['0:30.5', 762],
    ['2,04', 51],
  ])('%s is a place', (text, want) => expect(frame(text)).toBe(want));
  it.each([
    ['+10', 110],
    ['-10', 90],
    ['−10', 90],
    ['+1:00', 125],
    ['-9:00', 0],
  ])('%s is a step', (text, want) => expect(frame(text, 4.02)).toBe(want));
  it.each(['', 'now', '1:2:3:4:5', '00:99:00:00', '10:00:00:25', '1;;2', '--1'])('%s is none', (text) =>
    expect(typed(text, line, 0)).toBeNaN(),
  );
  it('is a clock time for a sound', () => {
    expect(typed('1:02.5', null, 0)).toBe(62.5);
    expect(typed('+5', null, 10)).toBe(15);
    expect(typed('1:00:00', null, 0)).toBe(3600);
  });
});
