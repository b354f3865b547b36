import { expect, test } from 'vitest';
import { cellAt, cells } from './filmstrip';
import { loudest } from './peaks';

// Source: WebVTT, section 4 (cue timings), and Media Fragments 1.0, section 4.2.2 (#xywh in pixels).
test('a filmstrip finds the picture of a moment', () => {
  const index = cells(
    'WEBVTT\n\n00:00:00.000 --> 00:00:01.500\nstrip#xywh=0,0,160,90\n\n01:00:01.500 --> 01:00:03.000\nstrip#xywh=pixel:160,90,160,90\n',
  );
  expect(index).toHaveLength(2);
  expect(cellAt(index, 1)).toMatchObject({ x: 0, y: 0, width: 160, height: 90 });
  expect(cellAt(index, 2)).toMatchObject({ x: 160, y: 90, from: 3601.5 });
  expect(cellAt(index, 9999)).toMatchObject({ x: 160 });
  expect(cellAt(cells('no index'), 0)).toBeUndefined();
});

/** A file of two levels, as core/media/peaks writes it. */
function file(fine: [number, number][], coarse: [number, number][]): ArrayBuffer {
  const bytes = new ArrayBuffer(12 + 24 + 2 * (fine.length + coarse.length));
  const view = new DataView(bytes);
  view.setUint32(0, 0x41475031);
  view.setUint32(4, 48000, true);
  view.setUint32(8, 2, true);
  let at = 36;
  [fine, coarse].forEach((level, i) => {
    view.setUint32(12 + 12 * i, 512 * 8 ** i, true);
    view.setUint32(16 + 12 * i, level.length, true);
    view.setUint32(20 + 12 * i, at, true);
    for (const [low, high] of level) {
      view.setInt8(at++, low);
      view.setInt8(at++, high);
    }
  });
  return bytes;
}

test('peaks come from the coarsest level that is fine enough', () => {
  const bytes = file(
    [
      [-127, 0],
      [0, 64],
      [0, 0],
      [-10, 20],
    ],
    [[-127, 100]],
  );
  expect(loudest(bytes, 4)).toEqual([255, 129, 0, 40]);
  expect(loudest(bytes, 2)).toEqual([255, 40]);
  expect(loudest(bytes, 1)).toEqual([255]);
  expect(loudest(bytes, 2, 0.5, 1)).toEqual([0, 40]);
  expect(loudest(bytes, 1, 0.25, 0.5)).toEqual([129]);
  expect(loudest(new ArrayBuffer(4), 4)).toBeNull();
});
