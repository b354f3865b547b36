import { need, type Anchor, type Attachment, type Note, type RoomData, type Schemas } from '$api/client';

/** A note as somebody writes it. */
export interface Draft {
  anchor: Anchor;
  text: string;
  private: boolean;
  attached: string[];
  version: string;
}

/** What notes that come in do, or have done. */
export interface Brought {
  new: number;
  same: number;
  differs: number;
  done: number;
  problems: { entry: number; say: string }[];
  first: string[];
}

/**
 * From where somebody takes part in a review: the studio, or a link. Both ask for the same under their own address
 * (bothSides in internal/parts/review).
 */
export class Seat {
  readonly base: string;
  constructor(readonly link = '') {
    this.base = link ? `/api/v1/r/${link}` : '/api/v1';
  }
  private ask<T>(method: string, path: string, body?: unknown): Promise<T> {
    return this.send<T>(path, {
      method,
      ...(body === undefined ? {} : { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
    });
  }
  private send<T>(path: string, request: RequestInit): Promise<T> {
    const answer = fetch(this.base + path, request).then(async (response) => {
      const text = await response.text();
      const data: unknown = text ? JSON.parse(text) : undefined;
      return response.ok ? { data: data as T, response } : { error: data, response };
    });
    return need<T>(answer);
  }
  get live() {
    return `${this.base}/live`;
  }
  room = (item: string, version = '') =>
    this.ask<RoomData>('GET', `/items/${item}/room${version ? `?version=${version}` : ''}`);
  write = (item: string, draft: Draft) => this.ask<Note>('POST', `/items/${item}/notes`, draft);
  answer = (note: string, text: string, attached: string[] = [], hidden = false) =>
    this.ask<Note>('POST', `/notes/${note}/answers`, { text, attached, private: hidden });
  edit = (note: Note, text: string) => this.ask<Note>('PATCH', `/notes/${note.id}`, { text, edition: note.edition });
  remove = (note: string) => this.ask<void>('DELETE', `/notes/${note}`);
  former = (note: string) => this.ask<Schemas['WordsView'][]>('GET', `/notes/${note}/former`);
  done = (note: string, done: boolean) => this.ask<void>('PUT', `/notes/${note}/done`, { done });
  lay = (note: string, version: string, at_us: number, onwards: boolean) =>
    this.ask<void>('PUT', `/notes/${note}/place`, { version, at_us, onwards });
  sign = (note: string, sign: string, on: boolean) => this.ask<void>('PUT', `/notes/${note}/sign`, { sign, on });
  stars = (item: string, stars: number) => this.ask<void>('PUT', `/items/${item}/stars`, { stars });
  hide = (note: string, hidden: boolean) => this.ask<void>('PUT', `/notes/${note}/private`, { private: hidden });
  assign = (note: string, member: string) => this.ask<void>('PUT', `/notes/${note}/assigned`, { member });
  /** Sends a voice or picture ahead of the note that it will lie at. */
  attach = (item: string, kind: Attachment['kind'], content: Blob) =>
    this.send<Attachment>(`/items/${item}/attached/${kind}`, { method: 'POST', body: content });
  /** The address under which notes go out as a file. */
  out(item: string, format: string, wish: { version?: string; open?: boolean; who?: string; start?: string }) {
    const query = new URLSearchParams();
    if (wish.version) query.set('version', wish.version);
    if (wish.open) query.set('open', 'yes');
    if (wish.who) query.set('who', wish.who);
    if (wish.start) query.set('start', wish.start);
    return `${this.base}/items/${item}/out/${format}?${query.toString()}`;
  }
  /** Takes notes in from a file, or says what that would do. */
  bring = (item: string, format: string, file: Blob, doIt: boolean) =>
    this.send<Brought>(`/items/${item}/in/${format}${doIt ? '?do=yes' : ''}`, { method: 'POST', body: file });
  sit = (item: string, at: Schemas['SeatInput']) => this.ask<Schemas['SittingView']>('PUT', `/items/${item}/sit`, at);
  sitting = (item: string) => this.ask<Schemas['SittingView']>('GET', `/items/${item}/sit`);
  /** Said while the page goes away, so nobody waits for an answer. */
  leave = (item: string) => void fetch(`${this.base}/items/${item}/sit`, { method: 'DELETE', keepalive: true }).catch(() => undefined); // prettier-ignore
  frame = (note: string) => `${this.base}/notes/${note}/frame.jpg`;
  attached = (id: string) => `${this.base}/attached/${id}`;
}
