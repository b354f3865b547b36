import { describe, expect, it } from 'vitest';
import { left, span, weight } from './time';

describe('times and sizes in words', () => {
  const now = new Date('2026-11-25T10:06:00Z');
  const after = (ms: number) => left(new Date(now.getTime() + ms), now);

  it('rounds the time left down', () => {
    expect(after(-1)).toBe('ended');
    expect(after(30_000)).toBe('less than a minute');
    expect(after(31 * 3_600_000 + 59_000)).toBe('1 d 7 h');
    expect(after(3 * 3_600_000 + 20 * 60_000)).toBe('3 h 20 min');
    expect(after(12.9 * 86_400_000)).toBe('12 days');
  });

  // The same values as core/file/transfer, SI units.
  it('words sizes as the server does', () => {
    expect([0, 1, 999, 1000, 9949, 9950, 412_000_000, 4_200_000_000].map(weight)).toEqual([
      '0 bytes',
      '1 byte',
      '999 bytes',
      '1.0 kB',
      '9.9 kB',
      '10 kB',
      '412 MB',
      '4.2 GB',
    ]);
    expect([4, 256, 7500].map(span)).toEqual(['4 s', '4 min', '2 h 5 min']);
  });
});
