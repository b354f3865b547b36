import { api, need, words, type Schemas } from '$api/client';
import { span, weight } from '$lib/time';
import { Estimator } from '$lib/estimator';
import { sumOf } from './sum';

const atOnce = 3;
const retryAfter = [1000, 3000, 10_000, 30_000];

type Wanted = Schemas['SumView'];

/**
 * Everything of a package as files in a folder that the recipient chose, several at a time, each checked by its sum.
 * What is there whole already is not fetched again. Where the line breaks, or the lid was closed, a file goes on
 * from its last byte; a page that was left begins the files anew that were not whole.
 */
export class Folder {
  state = $state<'none' | 'running' | 'paused' | 'done'>('none');
  name = $state('');
  failed = $state<string[]>([]);
  private got = $state(0);
  private total = $state(0);
  private whole = $state(0);
  private files = $state<Wanted[]>([]);
  private rate = $state(0);
  private root?: FileSystemDirectoryHandle;
  private estimator = new Estimator();
  private halt = new AbortController();

  constructor(private readonly link: () => string) {}

  readonly can = typeof window !== 'undefined' && 'showDirectoryPicker' in window;
  share = $derived(this.total ? this.got / this.total : 0);
  says = $derived.by(() => {
    const count = `${this.whole} of ${this.files.length} files whole in ${this.name}`;
    if (this.state === 'done')
      return this.failed.length ? `${count}.` : `All ${this.files.length} files are whole in ${this.name}.`;
    const left = this.rate ? `, ${weight(this.rate)}/s, ${span((this.total - this.got) / this.rate)} left` : '';
    return `${count}${this.state === 'paused' ? ', paused' : left}.`;
  });

  async choose() {
    try {
      this.root = await window.showDirectoryPicker({ mode: 'readwrite', startIn: 'downloads' });
    } catch {
      return; // they thought better of it
    }
    this.name = this.root.name;
    try {
      await this.list();
    } catch (thrown) {
      this.failed = [words(thrown)];
      return;
    }
    await this.go();
  }

  private async list() {
    const path = { params: { path: { link: this.link() } } };
    this.files = (await need(api.GET('/api/v1/r/{link}/sums', path))) ?? [];
    this.total = this.files.reduce((sum, f) => sum + f.size, 0);
  }

  async go() {
    this.state = 'running';
    this.failed = [];
    this.got = this.whole = 0;
    this.halt = new AbortController();
    this.estimator = new Estimator();
    const queue = [...this.files];
    const work = async () => {
      for (let next = queue.shift(); next && !this.halt.signal.aborted; next = queue.shift()) {
        try {
          await this.fetch(next);
        } catch (thrown) {
          if (this.halt.signal.aborted) return;
          this.failed = [...this.failed, `${next.path}: ${thrown instanceof Error ? thrown.message : String(thrown)}`];
        }
      }
    };
    await Promise.all(Array.from({ length: atOnce }, work));
    if (!this.halt.signal.aborted) this.state = 'done';
  }

  stop() {
    this.state = 'paused';
    this.halt.abort();
  }

  private count(bytes: number) {
    this.got += bytes;
    this.estimator.add(performance.now() / 1000, this.got, this.total);
    this.rate = this.estimator.rate;
  }

  private async fetch(file: Wanted) {
    const handle = await this.place(file.path);
    const there = await handle.getFile();
    // An empty file looks as if it was there already, since its place has just been made: it is fetched, or it would
    // never count as taken.
    if (file.size > 0 && there.size === file.size && file.sha256 && (await sumOf(there)) === file.sha256) {
      this.found(file);
      this.count(file.size);
      this.whole++;
      return;
    }
    const out = await handle.createWritable(); // what was there stays until all of it is
    let at = 0;
    try {
      for (let tries = 0; at < file.size || tries === 0;) {
        try {
          at = await this.pull(file, at, out);
          tries = 1;
        } catch (thrown) {
          if (this.halt.signal.aborted || thrown instanceof Gone || tries >= retryAfter.length) throw thrown;
          at = this.reached[file.path] ?? at;
          await new Promise((again) => setTimeout(again, retryAfter[tries++]));
        }
      }
      await out.close();
    } catch (thrown) {
      this.got -= this.reached[file.path] ?? 0;
      await out.abort().catch(() => undefined); // it is gone with the page at the latest
      throw thrown;
    }
    if (file.sha256 && (await sumOf(await handle.getFile())) !== file.sha256)
      throw new Error('what arrived is not what was sent. Go on fetches it anew.');
    if (file.sha256) this.found(file);
    this.whole++;
  }

  /** Tells the sender that a file was read back from the disk and is whole; that it does not hear of it harms nobody. */
  private found({ item, version, sha256 }: Wanted) {
    const path = { link: this.link(), item };
    void api.POST('/api/v1/r/{link}/items/{item}/whole', { params: { path }, body: { version, sha256 } });
  }

  /** how many bytes of a file are written, by its path */
  private reached: Record<string, number> = {};

  /** Fetches a file from a byte on, and says where it came to. */
  private async pull(file: Wanted, from: number, out: FileSystemWritableFileStream): Promise<number> {
    const answer = await fetch(file.take, {
      signal: this.halt.signal,
      headers: from ? { Range: `bytes=${from}-` } : {},
    });
    if (answer.status >= 400 && answer.status < 500) throw new Gone(await said(answer));
    if (!answer.ok || !answer.body) throw new Error(`the server answered ${answer.status}`);
    let at = answer.status === 206 ? from : 0;
    if (at !== from) this.got -= from; // it begins anew
    const reader = answer.body.getReader();
    for (let piece = await reader.read(); !piece.done; piece = await reader.read()) {
      await out.write({ type: 'write', position: at, data: piece.value });
      at += piece.value.length;
      this.reached[file.path] = at;
      this.count(piece.value.length);
    }
    return at;
  }

  private async place(path: string): Promise<FileSystemFileHandle> {
    const parts = path.split('/');
    let dir = this.root!;
    for (const part of parts.slice(0, -1)) dir = await dir.getDirectoryHandle(part, { create: true });
    return dir.getFileHandle(parts.at(-1)!, { create: true });
  }
}

/** It is no use to ask again. */
class Gone extends Error {}

async function said(answer: Response): Promise<string> {
  const body: unknown = await answer.json().catch(() => null);
  return body && typeof body === 'object' && 'detail' in body
    ? String(body.detail)
    : `the server answered ${answer.status}`;
}
