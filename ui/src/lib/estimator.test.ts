import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';
import { Estimator } from './estimator';

// Source: core/file/transfer, which is checked against total divided by rate on known lines.
test('the browser foresees the same end as the server', () => {
  const vectors = JSON.parse(readFileSync('../core/file/transfer/testdata/estimator.json', 'utf8')) as {
    second: number;
    bytes: number;
    left: number;
  }[];
  expect(vectors.length).toBeGreaterThan(100);
  const estimator = new Estimator();
  for (const v of vectors) {
    estimator.add(v.second, v.bytes, 400_000_000);
    const left = estimator.left(v.second);
    if (v.left < 0) expect(left).toBeNull();
    else expect(left).toBeCloseTo(v.left, 4);
  }
});

test('a transfer that begins again is known anew', () => {
  const estimator = new Estimator();
  estimator.add(0, 500, 1000);
  estimator.add(3, 900, 1000);
  expect(estimator.left(3)).toBeCloseTo(0.75);
  estimator.add(4, 0, 1000);
  expect(estimator.left(4)).toBeNull();
});
