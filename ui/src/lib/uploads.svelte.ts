import * as tus from 'tus-js-client';

export interface Upload {
  id: number;
  parcel: string;
  file: File;
  name: string;
  folder: string;
  state: 'queued' | 'running' | 'paused' | 'waiting' | 'done' | 'failed' | 'cancelled';
  /** bytes that the server has */
  sent: number;
  /** bytes a second */
  rate: number;
  problem: string;
}

interface Found {
  file: File;
  folder: string;
}

const atOnce = 3;
const retryAfter = [0, 1000, 3000, 5000, 10_000, 20_000, 30_000, 60_000];

/**
 * The uploads of this browser. They go on while people work on any screen; after
 * a reload the same file chosen again goes on where it stopped.
 */
class Uploads {
  list = $state<Upload[]>([]);
  private running = new Map<number, tus.Upload>();
  private marks = new Map<number, { at: number; bytes: number }>();
  private next = 1;
  /** id of the upload that the server does not know yet; 0: none */
  private announcing = 0;

  active = $derived(this.list.filter((u) => u.state === 'queued' || u.state === 'running' || u.state === 'waiting'));
  secondsLeft = $derived.by(() => {
    const rate = this.list.reduce((sum, u) => sum + (u.state === 'running' ? u.rate : 0), 0);
    const bytes = this.active.reduce((sum, u) => sum + u.file.size - u.sent, 0);
    return rate > 0 ? bytes / rate : null;
  });

  of(parcel: string) {
    return this.list.filter((u) => u.parcel === parcel && u.state !== 'cancelled');
  }

  add(parcel: string, found: Found[]) {
    for (const { file, folder } of found) {
      const there = this.list.find(
        (u) =>
          u.parcel === parcel &&
          u.folder === folder &&
          u.name === file.name &&
          u.file.size === file.size &&
          u.state !== 'cancelled' &&
          u.state !== 'failed',
      );
      if (there) continue;
      this.list.push({
        id: this.next++,
        parcel,
        file,
        name: file.name,
        folder,
        state: 'queued',
        sent: 0,
        rate: 0,
        problem: '',
      });
    }
    this.pump();
  }

  pause(id: number) {
    this.set(id, { state: 'paused', rate: 0 });
    this.running.get(id)?.abort();
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
    this.set(id, { state: 'running' });
    const upload = new tus.Upload(file, {
      endpoint: '/api/v1/uploads/',
      retryDelays: retryAfter,
      // The same file in the same package is known again by these facts.
      fingerprint: async () =>
        ['aftergust', entry.parcel, entry.folder, file.name, file.size, file.lastModified].join('/'),
      removeFingerprintOnSuccess: true,
      metadata: { package: entry.parcel, filename: file.name, folder: entry.folder },
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
      onSuccess: () => {
        this.running.delete(id);
        this.set(id, { state: 'done', sent: file.size, rate: 0, problem: '' });
        this.announced(id);
        this.pump();
      },
      onError: (error) => {
        this.running.delete(id);
        this.set(id, { state: 'failed', rate: 0, problem: reason(error) });
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
    const now = performance.now();
    const mark = this.marks.get(id);
    entry.state = 'running';
    entry.problem = '';
    entry.sent = sent;
    if (!mark) this.marks.set(id, { at: now, bytes: sent });
    else if (now - mark.at > 500) {
      // An average over about the last five seconds, so that the time left does not jump.
      const measured = ((sent - mark.bytes) * 1000) / (now - mark.at);
      entry.rate = entry.rate ? entry.rate * 0.85 + measured * 0.15 : measured;
      this.marks.set(id, { at: now, bytes: sent });
    }
  }
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

/** All files in what was dropped, folders walked to the end. */
export async function dropped(data: DataTransfer): Promise<Found[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((e) => e !== null);
  const found: Found[] = [];
  for (const entry of entries) await walk(entry, '', found);
  return found;
}

async function walk(entry: FileSystemEntry, folder: string, found: Found[]) {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    if (!ignored(file.name)) found.push({ file, folder });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inner = folder ? `${folder}/${entry.name}` : entry.name;
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) return;
    for (const child of some) await walk(child, inner, found);
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
