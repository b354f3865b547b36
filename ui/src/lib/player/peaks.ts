/**
 * Reads a file of peaks (core/peaks) and gives the loudest sample of each of n equal parts, 0 to 255, from the
 * coarsest level that is fine enough. Null where it is no such file.
 */
export function loudest(file: ArrayBuffer, n: number): number[] | null {
  const view = new DataView(file);
  if (file.byteLength < 12 || view.getUint32(0) !== 0x41475031) return null;
  let bins = 0;
  let offset = 0;
  for (let i = 0; i < view.getUint32(8, true); i++) {
    const at = 12 + 12 * i;
    const count = view.getUint32(at + 4, true);
    if (i && count < n) break;
    bins = count;
    offset = view.getUint32(at + 8, true);
  }
  if (!bins || offset + 2 * bins > file.byteLength) return null;
  const out: number[] = [];
  for (let i = 0; i < n; i++) {
    let top = 0;
    const from = Math.floor((i * bins) / n);
    for (let j = from; j < Math.max(from + 1, Math.floor(((i + 1) * bins) / n)); j++) {
      top = Math.max(top, -view.getInt8(offset + 2 * j), view.getInt8(offset + 2 * j + 1));
    }
    out.push(Math.round((top * 255) / 127));
  }
  return out;
}
