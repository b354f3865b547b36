import * as tus from 'tus-js-client';
import { Estimator } from './estimator';

/** Where a file goes: into a package, into a place, or to an item as its next version or its picture. */
export interface Target {
  parcel?: string;
  place?: string;
  item?: string;
  picture?: boolean;
}

export interface Upload extends Required<Target> {
  id: number;
  file: File;
  name: string;
  folder: string;
  tags: string[];
  state: 'queued' | 'running' | 'paused' | 'waiting' | 'done' | 'failed' | 'cancelled';
  /** bytes that the server has */
  sent: number;
  /** bytes a second */
  rate: number;
  /** seconds left; null while it is not known */
  left: number | null;
  problem: string;
  /** id of the item that came of it */
  made: string;
}

export interface Found {
  file: File;
  folder: string;
  /** as it shall be called; the file's own name where it is empty */
  name?: string;
  tags?: string[];
  /** item of which it is the next version */
  item?: string;
}

const atOnce = 3;
const retryAfter = [0, 1000, 3000, 5000, 10_000, 20_000, 30_000, 60_000];

/**
 * The uploads of this browser. They go on while people work on any screen; after
 * a reload the same file chosen again goes on where it stopped.
 */
class Uploads {
  list = $state<Upload[]>([]);
  /** whether the tray is open */
  open = $state(false);
  private running = new Map<number, tus.Upload>();
  private estimators = new Map<number, Estimator>();
  private whole = new Estimator();
  private next = 1;
  /** id of the upload that the server does not know yet; 0: none */
  private announcing = 0;
  private finished: ((upload: Upload) => void)[] = [];

  active = $derived(this.list.filter((u) => u.state === 'queued' || u.state === 'running' || u.state === 'waiting'));
  unfinished = $derived(this.list.filter((u) => u.state !== 'done' && u.state !== 'cancelled'));
  /** bytes of everything that is under way, and how many of them are there */
  total = $derived(this.batch.reduce((sum, u) => sum + u.file.size, 0));
  sent = $derived(this.batch.reduce((sum, u) => sum + u.sent, 0));
  secondsLeft = $state<number | null>(null);
  rate = $state(0);

  private get batch() {
    return this.list.filter((u) => u.state !== 'cancelled' && u.state !== 'failed');
  }

  of(parcel: string) {
    return this.list.filter((u) => u.parcel === parcel && u.state !== 'cancelled');
  }

  add(target: Target, found: Found[]) {
    const to = { parcel: '', place: '', item: '', picture: false, ...target };
    const fresh: Upload[] = [];
    // Looked up once, since hundreds may be dropped together.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- lives for this call only
    const there = new Set(this.list.filter((u) => u.state !== 'cancelled' && u.state !== 'failed').map(keyOf));
    for (const { file, folder, name, tags, item } of found) {
      const entry: Upload = {
        ...to,
        item: item ?? to.item,
        id: this.next++,
        file,
        name: name || file.name,
        folder,
        tags: tags ?? [],
        state: 'queued',
        sent: 0,
        rate: 0,
        left: null,
        problem: '',
        made: '',
      };
      if (there.has(keyOf(entry))) continue;
      there.add(keyOf(entry));
      fresh.push(entry);
    }
    if (fresh.length && !this.active.length) {
      this.whole = new Estimator(); // a new batch
      if (!this.unfinished.length) this.list = this.list.filter((u) => u.parcel || u.state !== 'done');
    }
    this.list.push(...fresh);
    this.pump();
  }

  /** Calls back with each upload that has become an item; the returned function ends that. */
  onFinished(call: (upload: Upload) => void) {
    this.finished.push(call);
    return () => (this.finished = this.finished.filter((f) => f !== call));
  }

  pause(id: number) {
    this.set(id, { state: 'paused', rate: 0, left: null });
    void this.running.get(id)?.abort();
    this.estimators.delete(id);
    this.running.delete(id);
    this.announced(id);
    this.pump();
  }

  resume(id: number) {
    this.set(id, { state: 'queued', problem: '' });
    this.pump();
  }

  async cancel(id: number) {
    const going = this.running.get(id);
    this.running.delete(id);
    this.set(id, { state: 'cancelled' });
    this.announced(id);
    await going?.abort(true).catch(() => undefined); // the server lets go of what is left by itself
    this.pump();
  }

  pauseAll() {
    for (const u of this.active) this.pause(u.id);
  }

  resumeAll() {
    for (const u of this.list) if (u.state === 'paused' || u.state === 'failed') this.resume(u.id);
  }

  async cancelAll() {
    for (const u of [...this.unfinished]) await this.cancel(u.id);
  }

  /** Lets a file that waits go before the others. */
  first(id: number) {
    const at = this.list.findIndex((u) => u.id === id);
    const to = this.list.findIndex((u) => u.state === 'queued');
    const entry = this.list[at];
    if (!entry || to < 0 || to >= at) return;
    this.list.splice(at, 1);
    this.list.splice(to, 0, entry);
  }

  /** Moves a file that waits up or down by one among those that wait. */
  shift(id: number, by: 1 | -1) {
    const at = this.list.findIndex((u) => u.id === id);
    let to = at + by;
    while (this.list[to] && this.list[to]!.state !== 'queued') to += by;
    const entry = this.list[at];
    const other = this.list[to];
    if (!entry || !other) return;
    this.list[at] = other;
    this.list[to] = entry;
  }

  /** Forgets what is finished or was cancelled. */
  clear() {
    this.list = this.list.filter((u) => u.state !== 'done' && u.state !== 'cancelled');
  }

  /** Forgets finished uploads of a package. */
  tidy(parcel: string) {
    this.list = this.list.filter((u) => u.parcel !== parcel || (u.state !== 'done' && u.state !== 'cancelled'));
  }

  private set(id: number, change: Partial<Upload>) {
    const entry = this.list.find((u) => u.id === id);
    if (entry) Object.assign(entry, change);
  }

  // One after another is announced to the server, so that the first of what was dropped comes first there too.
  private pump() {
    const running = this.list.filter((u) => u.state === 'running' || u.state === 'waiting').length;
    const next = this.list.find((u) => u.state === 'queued');
    if (!next || running >= atOnce || this.announcing) return;
    this.announcing = next.id;
    void this.start(next);
  }

  private announced(id: number) {
    if (this.announcing !== id) return;
    this.announcing = 0;
    this.pump();
  }

  private async start(entry: Upload) {
    const { id, file } = entry;
    const place = entry.parcel || entry.place || entry.item;
    this.set(id, { state: 'running', problem: '' });
    const upload = new tus.Upload(file, {
      endpoint: '/api/v1/uploads/',
      retryDelays: retryAfter,
      // The same file in the same package is known again by these facts.
      fingerprint: async () => ['aftergust', place, entry.folder, file.name, file.size, file.lastModified].join('/'),
      removeFingerprintOnSuccess: true,
      metadata: metadata(entry),
      onUploadUrlAvailable: () => this.announced(id),
      onProgress: (sent) => this.progress(id, sent),
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0;
        this.announced(id);
        if (status === 0 || status >= 500 || status === 423 || status === 409) {
          this.set(id, {
            state: 'waiting',
            rate: 0,
            problem:
              status === 507
                ? 'The disk of the studio is full; it goes on when there is room.'
                : 'The line is down; it goes on by itself.',
          });
          return true;
        }
        return false;
      },
      onSuccess: (payload) => {
        this.running.delete(id);
        const made = payload.lastResponse?.getHeader('Aftergust-Item') ?? '';
        this.set(id, { state: 'done', sent: file.size, rate: 0, left: null, problem: '', made });
        this.reckon();
        this.announced(id);
        this.pump();
        for (const call of this.finished) call({ ...entry, made });
      },
      onError: (error) => {
        this.running.delete(id);
        this.set(id, { state: 'failed', rate: 0, left: null, problem: reason(error) });
        this.announced(id);
        this.pump();
      },
    });
    this.running.set(id, upload);
    const before = await upload.findPreviousUploads();
    if (before[0]) upload.resumeFromPreviousUpload(before[0]);
    if (this.running.get(id) === upload) upload.start();
  }

  private progress(id: number, sent: number) {
    const entry = this.list.find((u) => u.id === id);
    if (!entry || (entry.state !== 'running' && entry.state !== 'waiting')) return;
    entry.state = 'running';
    entry.problem = '';
    entry.sent = sent;
    const now = performance.now() / 1000;
    let estimator = this.estimators.get(id);
    if (!estimator) {
      this.estimators.set(id, (estimator = new Estimator()));
      this.whole = new Estimator(); // what was there before a reload is no speed
    }
    estimator.add(now, sent, entry.file.size);
    entry.rate = estimator.rate;
    entry.left = estimator.left(now);
    this.reckon();
  }

  private reckon() {
    const now = performance.now() / 1000;
    this.whole.add(now, this.sent, this.total);
    this.rate = this.whole.rate;
    this.secondsLeft = this.active.length ? this.whole.left(now) : null;
  }
}

/** What makes two uploads the same. */
const keyOf = (u: Upload) => [u.parcel, u.place, u.item, u.folder, u.name, u.file.size].join('\n');

function metadata(u: Upload): Record<string, string> {
  const out: Record<string, string> = { filename: u.name, folder: u.folder };
  if (u.parcel) out.package = u.parcel;
  if (u.place) out.place = u.place;
  if (u.item) out.item = u.item;
  if (u.picture) out.picture = 'yes';
  if (u.tags.length) out.tags = u.tags.join('\n');
  return out;
}

function reason(error: Error | tus.DetailedError): string {
  if (error.name === 'NotReadableError' || /could not be read|NotReadable|permission problems/i.test(error.message)) {
    return 'The file changed while it was uploading. Choose it again when it is finished; nothing wrong was saved.';
  }
  const body = 'originalResponse' in error ? error.originalResponse?.getBody() : undefined;
  try {
    const problem = JSON.parse(body ?? '') as { detail?: string };
    if (problem.detail) return problem.detail;
  } catch {
    // not a problem of ours
  }
  return 'It did not go through. What has arrived is kept; try again.';
}

export const uploads = new Uploads();

/**
 * All files in what was dropped or pasted, folders walked to the end. Folders, also empty ones, are put
 * into folders where that is given.
 */
export async function dropped(data: DataTransfer, folders?: string[]): Promise<Found[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((e) => e !== null);
  const found: Found[] = [];
  if (!entries.length) return chosen(data.files); // pasted
  for (const entry of entries) await walk(entry, '', found, folders);
  return found;
}

async function walk(entry: FileSystemEntry, folder: string, found: Found[], folders?: string[]) {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    if (!ignored(file.name)) found.push({ file, folder });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inner = folder ? `${folder}/${entry.name}` : entry.name;
  folders?.push(inner);
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return;
    for (const child of some) await walk(child, inner, found, folders);
  }
}

/** The files of a chooser; those of a folder chooser keep their place. */
export function chosen(files: FileList): Found[] {
  return [...files]
    .filter((file) => !ignored(file.name))
    .map((file) => ({
      file,
      folder: file.webkitRelativePath ? file.webkitRelativePath.split('/').slice(0, -1).join('/') : '',
    }));
}

/** Files that systems leave in folders and nobody means to send. */
const ignored = (name: string) => name === '.DS_Store' || name === 'Thumbs.db' || name === 'desktop.ini';
