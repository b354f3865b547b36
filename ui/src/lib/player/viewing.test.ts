import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Viewing, type Sign } from './viewing';

let front = true;
let arrives = true;
const told: Sign[] = [];
const send = (sign: Sign) => {
  told.push(sign);
  return Promise.resolve(arrives);
};
const made: Viewing[] = [];
function viewing(page?: () => number) {
  const v = new Viewing(send, page, () => front);
  made.push(v);
  return v;
}
/** Plays a viewing from one second to another, as a player tells it four times a second. */
async function play(v: Viewing, from: number, to: number) {
  for (let at = from; at <= to; at += 0.25) {
    v.at(at, true);
    await vi.advanceTimersByTimeAsync(250);
  }
}
beforeEach(() => {
  vi.useFakeTimers();
  [front, arrives] = [true, true];
  told.length = 0;
});
afterEach(() => {
  made.splice(0).forEach((v) => v.leave());
  vi.useRealTimers();
});

describe('what played', () => {
  it('is told at once when it begins, then every four seconds, and when it stops', async () => {
    const v = viewing();
    await play(v, 0, 9);
    v.stop();
    expect(told.map((s) => s.runs)).toEqual([
      [{ start: 0, end: 0 }],
      ...[3, 7].map((s) => [{ start: 0, end: expect.closeTo(s * 1000 + 1000, -3.3) as number }]),
      [{ start: 0, end: 9000 }],
    ]);
    expect(told.at(-1)).toMatchObject({ plays: false, at: 9000 });
    v.stop();
    expect(told).toHaveLength(4);
  });

  it('begins anew where somebody jumped to, back or ahead, in the order in which it played', async () => {
    const v = viewing();
    await play(v, 0, 2);
    v.stop(false);
    await play(v, 1, 1.5);
    v.stop(false);
    await play(v, 60, 60.5);
    v.stop();
    expect(told.at(-1)).toMatchObject({
      first: 0,
      runs: [
        { start: 0, end: 2000 },
        { start: 1000, end: 1500 },
        { start: 60_000, end: 60_500 },
      ],
    });
    await play(v, 70, 70.5);
    v.stop();
    expect(told.at(-1)).toMatchObject({
      first: 2,
      runs: [
        { start: 60_000, end: 60_500 },
        { start: 70_000, end: 70_500 },
      ],
    });
  });

  it('is no second of a tab in the background', async () => {
    const v = viewing();
    await play(v, 0, 2);
    front = false;
    await play(v, 2.25, 20);
    front = true;
    await play(v, 20.25, 21);
    v.stop();
    expect(told.find((s) => s.runs?.length === 2)?.runs?.[0]).toEqual({ start: 0, end: 2000 });
    expect(told.at(-1)).toMatchObject({ first: 1, runs: [{ start: 20_250, end: 21_000 }] });
  });

  it('is told again where it did not arrive', async () => {
    arrives = false;
    const v = viewing();
    await play(v, 0, 2);
    v.stop();
    await vi.advanceTimersByTimeAsync(0);
    v.at(30, true);
    arrives = true;
    v.stop();
    expect(told.at(-1)).toMatchObject({ first: 0, runs: [{ start: 0, end: 2000 }, { start: 30_000 }] });
  });

  it('goes on under another key after as many stretches as one viewing holds', () => {
    const v = viewing();
    for (let i = 0; i < 501; i++) {
      v.at(i * 10, true);
      v.stop(false);
    }
    v.stop();
    expect(told.at(-1)).toMatchObject({ first: 0, runs: [{ start: 5_000_000, end: 5_000_000 }] });
    expect(new Set(told.map((s) => s.viewing)).size).toBe(2);
    expect(told.some((s) => s.runs?.length === 500)).toBe(true);
  });
});

describe('pages', () => {
  it('count for as long as they are in front', async () => {
    let page = 1;
    const v = viewing(() => page);
    await vi.advanceTimersByTimeAsync(4000);
    page = 3;
    front = false;
    await vi.advanceTimersByTimeAsync(60_000);
    front = true;
    await vi.advanceTimersByTimeAsync(2000);
    v.leave();
    expect(told.at(-1)).toMatchObject({ pages: [4000, 0, 2000], at: 3, plays: false });
    expect(told.at(-1)!.runs).toBeUndefined();
  });

  it('say every twenty seconds that somebody is still there, and nothing before anything was in front', async () => {
    let page = 0;
    viewing(() => page);
    await vi.advanceTimersByTimeAsync(60_000);
    expect(told).toHaveLength(0);
    page = 1;
    await vi.advanceTimersByTimeAsync(61_000);
    expect(told).toHaveLength(4);
  });
});
