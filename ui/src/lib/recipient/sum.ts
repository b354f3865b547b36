import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';

/** The SHA-256 of a file in hexadecimal, read piece by piece, so that its size does not matter. */
export async function sumOf(file: Blob): Promise<string> {
  const sum = sha256.create();
  const reader = file.stream().getReader();
  for (let piece = await reader.read(); !piece.done; piece = await reader.read()) sum.update(piece.value);
  return bytesToHex(sum.digest());
}
