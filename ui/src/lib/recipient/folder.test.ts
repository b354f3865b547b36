// @vitest-environment node
import { createHash } from 'node:crypto';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { studio } from '../../tests/studio';
import { Folder } from './folder.svelte';
import { sumOf } from './sum';

// A folder in memory, with as much of the File System Access API as is used here.
class Disk {
  files = new Map<string, Uint8Array<ArrayBuffer>>();
  handle(prefix = ''): FileSystemDirectoryHandle {
    return {
      name: 'Lifeboat',
      getDirectoryHandle: async (name: string) => this.handle(`${prefix}${name}/`),
      getFileHandle: async (name: string) => this.file(prefix + name),
    } as unknown as FileSystemDirectoryHandle;
  }
  private file(path: string) {
    return {
      getFile: async () => new Blob([this.files.get(path) ?? new Uint8Array()]),
      createWritable: async () => {
        let kept = new Uint8Array();
        return {
          write: async ({ position, data }: { position: number; data: Uint8Array }) => {
            const next = new Uint8Array(Math.max(kept.length, position + data.length));
            next.set(kept);
            next.set(data, position);
            kept = next;
          },
          close: async () => void this.files.set(path, kept),
          abort: async () => undefined,
        };
      },
    };
  }
}

const text = (length: number, seed: number) => Uint8Array.from({ length }, (_, i) => (i * 31 + seed) % 251);
const hex = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

describe('everything into a folder', () => {
  const films = { 'a.mov': text(5000, 1), 'Stills/b.jpg': text(3000, 2) };
  let disk: Disk;
  let asked: { path: string; range: string }[];
  let cutAfter = 0;

  beforeEach(() => {
    disk = new Disk();
    asked = [];
    cutAfter = 0;
    vi.useFakeTimers({ shouldAdvanceTime: true, advanceTimeDelta: 500 });
    vi.stubGlobal('window', { showDirectoryPicker: async () => disk.handle() });
    studio.answers(
      'GET /api/v1/r/secret/sums',
      Object.entries(films).map(([path, bytes], i) => ({
        item: `i${i}`,
        version: `v${i}`,
        path,
        size: bytes.length,
        sha256: hex(bytes),
        take: `/take/${path}`,
      })),
    );
    studio.answers('POST /api/v1/r/secret/items/*/whole');
    const api = globalThis.fetch;
    vi.stubGlobal('fetch', async (input: string | Request, init?: { headers?: Record<string, string> }) => {
      const path = typeof input === 'string' ? input : '';
      if (!path.startsWith('/take/')) return api(input as Request);
      const range = init?.headers?.Range ?? '';
      asked.push({ path, range });
      const from = Number(/bytes=(\d+)-/.exec(range)?.[1] ?? 0);
      const bytes = films[path.slice(6) as keyof typeof films].slice(from);
      const cut =
        cutAfter && path.endsWith('a.mov') && asked.filter((a) => a.path === path).length === 1 ? cutAfter : 0;
      let sent = false;
      const body = new ReadableStream<Uint8Array>({
        pull(control) {
          if (!sent) control.enqueue(cut ? bytes.slice(0, cut) : bytes);
          else if (cut) control.error(new TypeError('network error'));
          else control.close();
          sent = true;
        },
      });
      return new Response(body, { status: range ? 206 : 200 });
    });
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it('writes every file, in its folder, and says so', async () => {
    const folder = new Folder(() => 'secret');
    await folder.choose();
    expect(folder.says).toBe('All 2 files are whole in Lifeboat.');
    for (const [path, bytes] of Object.entries(films)) expect(disk.files.get(path)).toEqual(bytes);
    await vi.waitFor(() =>
      expect(studio.sent('POST /api/v1/r/secret/items/i0/whole')).toEqual([
        { version: 'v0', sha256: hex(films['a.mov']) },
      ]),
    );
  });

  it('goes on from the last byte where the line broke, and fetches nothing twice', async () => {
    cutAfter = 2000;
    const folder = new Folder(() => 'secret');
    await folder.choose();
    expect(folder.failed).toEqual([]);
    expect(asked.filter((a) => a.path.endsWith('a.mov')).map((a) => a.range)).toEqual(['', 'bytes=2000-']);
    expect(disk.files.get('a.mov')).toEqual(films['a.mov']);
    asked = [];
    await folder.go();
    expect(asked).toEqual([]);
    expect(folder.state).toBe('done');
  });

  it('does not call whole what is not what was sent', async () => {
    studio.answers('GET /api/v1/r/secret/sums', [
      { item: 'i0', version: 'v0', path: 'a.mov', size: 5000, sha256: hex(text(5000, 9)), take: '/take/a.mov' },
    ]);
    const folder = new Folder(() => 'secret');
    await folder.choose();
    expect(folder.failed[0]).toMatch(/a\.mov: what arrived is not what was sent/);
    expect(folder.says).toBe('0 of 1 files whole in Lifeboat.');
    expect(studio.sent('POST /api/v1/r/secret/items/i0/whole')).toEqual([]);
  });
});

// Source: Node's own SHA-256 (OpenSSL).
describe('a sum', () => {
  it('is that of the whole file, however large', async () => {
    const bytes = text(3_000_000, 5);
    expect(await sumOf(new Blob([bytes]))).toBe(hex(bytes));
    expect(await sumOf(new Blob([]))).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855');
  });
});
