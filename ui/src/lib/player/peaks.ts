/**
 * Reads a file of peaks (core/media/peaks) and gives the loudest sample of each of n equal parts of a stretch of it, 0 to 255,
 * from the coarsest level that is fine enough. from and to are shares of the whole, 0 to 1. Null where it is no such file.
 */
export function loudest(file: ArrayBuffer, n: number, from = 0, to = 1): number[] | null {
  const view = new DataView(file);
  if (file.byteLength < 12 || view.getUint32(0) !== 0x41475031) return null;
  let bins = 0;
  let offset = 0;
  for (let i = 0; i < view.getUint32(8, true); i++) {
    const at = 12 + 12 * i;
    const count = view.getUint32(at + 4, true);
    if (i && count * (to - from) < n) break;
    bins = count;
    offset = view.getUint32(at + 8, true);
  }
  if (!bins || offset + 2 * bins > file.byteLength) return null;
  const out: number[] = [];
  const edge = (i: number) => Math.floor((from + ((to - from) * i) / n) * bins);
  for (let i = 0; i < n; i++) {
    let top = 0;
    for (let j = edge(i); j < Math.min(bins, Math.max(edge(i) + 1, edge(i + 1))); j++) {
      top = Math.max(top, -view.getInt8(offset + 2 * j), view.getInt8(offset + 2 * j + 1));
    }
    out.push(Math.round((top * 255) / 127));
  }
  return out;
}
