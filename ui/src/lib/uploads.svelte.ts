import * as tus from 'tus-js-client';
import { saySignedOut } from '$api/client';
import { Estimator } from './estimator';
import type { Found, Source } from './found';
import { claim, keep, letGo, type Kept } from './kept';

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
  source: Source | undefined;
  /** the server knows of it, so that a package which waits for its files waits for this one */
  begun: boolean;
}

const atOnce = 3;
const retryAfter = [0, 1000, 3000, 5000, 10_000, 20_000, 30_000, 60_000];

/**
 * The uploads of this browser. They go on while people work on any screen. After a reload, or a crash, they go
 * on by themselves where the browser lets files be read again, at a press where it wants to be asked for that,
 * and else when the same file is chosen again; each where it stopped.
 */
class Uploads {
  list = $state<Upload[]>([]);
  /** whether the tray is open */
  open = $state(false);
  /** left by a page that is gone, and waiting until the browser lets the files be read again */
  held = $state.raw<Kept[]>([]);
  /** names of files that were left so and are no longer where they were */
  lost = $state<string[]>([]);
  private member = '';
  private running = new Map<number, tus.Upload>();
  /** ids of those that met a session that has ended, and go on with the next */
  private outside: number[] = [];
  private estimators = new Map<number, Estimator>();
  private whole = new Estimator();
  private next = 1;
  /** id of the upload that the server does not know yet; 0: none */
  private announcing = 0;
  private finished: ((upload: Upload) => void)[] = [];
  /** packages that go by themselves, once the server knows of everything that is to be in them */
  private leaving = new Map<string, () => void>();

  active = $derived(this.list.filter((u) => u.state === 'queued' || u.state === 'running' || u.state === 'waiting'));
  unfinished = $derived(this.list.filter((u) => u.state !== 'done' && u.state !== 'cancelled'));
  /** bytes of everything that is under way, and how many of them are there */
  total = $derived(this.batch.reduce((sum, u) => sum + u.file.size, 0));
  sent = $derived(this.batch.reduce((sum, u) => sum + u.sent, 0));
  secondsLeft = $state<number | null>(null);
  rate = $state(0);

  private get queued() {
    return this.list.filter((u) => u.state === 'queued');
  }

  private get batch() {
    return this.list.filter((u) => u.state !== 'cancelled' && u.state !== 'failed');
  }

  of(parcel: string) {
    return this.list.filter((u) => u.parcel === parcel && u.state !== 'cancelled');
  }

  add(target: Target, found: Found[]) {
    this.enter(target, found, { state: 'queued', problem: '' });
  }

  private enter(target: Target, found: Found[], how: Pick<Upload, 'state' | 'problem'>) {
    const to = { parcel: '', place: '', item: '', picture: false, ...target };
    const fresh: Upload[] = [];
    // Looked up once, since hundreds may be dropped together.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- lives for this call only
    const there = new Set(this.list.filter((u) => u.state !== 'cancelled' && u.state !== 'failed').map(keyOf));
    for (const { file, folder, name, tags, item, source } of found) {
      const entry: Upload = {
        ...to,
        ...how,
        item: item ?? to.item,
        id: this.next++,
        file,
        name: name || file.name,
        folder,
        tags: tags ?? [],
        sent: 0,
        rate: 0,
        left: null,
        made: '',
        source,
        begun: false,
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
    this.held = this.held.filter((kept) => !fresh.some((u) => this.keyOf(u) === kept.key)); // chosen again meanwhile
    this.keep(fresh);
    this.pump();
  }

  /** Takes up what a page that is gone has left of a member's uploads, and what met the end of their session. */
  async recall(member: string) {
    const back = member === this.member ? this.outside : [];
    this.outside = [];
    this.member = member;
    for (const id of back) if (this.list.some((u) => u.id === id && u.state === 'waiting')) this.resume(id);
    const left = await claim(member);
    const held: Kept[] = [];
    for (const kept of left) {
      if ((await allowed(kept)) === 'granted') await this.takeUp(kept);
      else held.push(kept);
    }
    this.held = held;
    if (left.length) this.open = true;
  }

  /** Asks the browser for the files that are held; has to come of a press. */
  async goOn() {
    while (this.held[0] && (await allowed(this.held[0], true)) === 'granted') {
      const [first, ...others] = this.held;
      this.held = others;
      await this.takeUp(first);
    }
  }

  /** Lets go of what is held. What has arrived of it stays with the server for a week. */
  dismiss() {
    void letGo(this.held.map((k) => k.key));
    this.held = [];
  }

  private async takeUp(kept: Kept) {
    const { parcel, place, item, picture, folder, name, tags, source } = kept;
    const file = await source.handle.getFile().catch(() => null);
    const same = file?.size === kept.size && file.lastModified === kept.changed;
    if (!same) await letGo([kept.key]);
    if (!file) this.lost.push(name);
    else
      this.enter(
        { parcel, place, item, picture },
        [{ file, folder, name, tags, source }],
        same
          ? { state: kept.paused ? 'paused' : 'queued', problem: '' }
          : { state: 'failed', problem: 'The file has changed since. Try again sends it as it is now.' },
      );
  }

  /** Keeps what a reload needs of those whose files can be read again. */
  private keep(list: Upload[]) {
    if (!this.member) return;
    const order = Object.fromEntries(this.list.map((u, i) => [u.id, i]));
    const kept = list.flatMap(({ source, ...u }) => {
      if (!source) return [];
      const { parcel, place, item, picture, folder, name } = u;
      return {
        ...{ parcel, place, item, picture, folder, name },
        key: this.keyOf(u),
        member: this.member,
        order: order[u.id] ?? 0,
        tags: [...u.tags],
        size: u.file.size,
        changed: u.file.lastModified,
        paused: u.state === 'paused',
        source: { handle: source.handle, root: source.root },
      };
    });
    if (kept.length) void keep(kept);
  }

  private letGo(id: number) {
    const entry = this.list.find((u) => u.id === id);
    if (entry) void letGo([this.keyOf(entry)]); // also what was chosen again without a way to it
  }

  private keyOf(u: Omit<Upload, 'source'>) {
    return `${this.member}\n${keyOf(u)}`;
  }

  /** Calls back with each upload that has become an item; the returned function ends that. */
  onFinished(call: (upload: Upload) => void) {
    this.finished.push(call);
    return () => (this.finished = this.finished.filter((f) => f !== call));
  }

  /** Whether there are files for a package that the server does not know of yet. */
  unbegun(parcel: string) {
    return this.list.some((u) => u.parcel === parcel && !u.begun && u.state !== 'done' && u.state !== 'cancelled');
  }

  /** Calls once, when the server knows of all files for a package, on whatever screen people are by then. */
  whenBegun(parcel: string, call: () => void) {
    this.leaving.set(parcel, call);
    this.look(parcel);
  }

  private look(parcel: string) {
    if (this.unbegun(parcel)) return;
    const call = this.leaving.get(parcel);
    this.leaving.delete(parcel);
    call?.();
  }

  pause(id: number) {
    this.set(id, { state: 'paused', rate: 0, left: null });
    void this.running.get(id)?.abort();
    this.estimators.delete(id);
    this.running.delete(id);
    this.announced(id);
    this.keep(this.list.filter((u) => u.id === id));
    this.pump();
  }

  resume(id: number) {
    this.set(id, { state: 'queued', problem: '' });
    this.keep(this.list.filter((u) => u.id === id));
    this.pump();
  }

  async cancel(id: number) {
    const going = this.running.get(id);
    this.running.delete(id);
    this.set(id, { state: 'cancelled' });
    this.look(this.list.find((u) => u.id === id)?.parcel ?? '');
    this.letGo(id);
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
    this.keep(this.queued);
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
    this.keep(this.queued);
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
      onUploadUrlAvailable: () => {
        this.set(id, { begun: true });
        this.announced(id);
        this.look(entry.parcel);
      },
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
        this.letGo(id);
        this.look(entry.parcel);
        this.reckon();
        this.announced(id);
        this.pump();
        for (const call of this.finished) call({ ...entry, made });
      },
      onError: (error) => {
        this.running.delete(id);
        const ended = 'originalResponse' in error && error.originalResponse?.getStatus() === 401;
        if (ended) {
          this.outside.push(id);
          saySignedOut();
        }
        this.set(id, {
          state: ended ? 'waiting' : 'failed',
          rate: 0,
          left: null,
          problem: ended ? 'Your session has ended; it goes on when you are signed in again.' : reason(error),
        });
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
const keyOf = (u: Omit<Upload, 'source'>) => [u.parcel, u.place, u.item, u.folder, u.name, u.file.size].join('\n');

/** Whether the file may be read again; asks for it where that is said. */
async function allowed({ source: { root } }: Kept, ask = false): Promise<PermissionState> {
  try {
    const now = await root.queryPermission({ mode: 'read' });
    return now === 'prompt' && ask ? await root.requestPermission({ mode: 'read' }) : now;
  } catch {
    return 'denied';
  }
}

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
