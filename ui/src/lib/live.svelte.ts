export interface Change {
  package: string;
  what:
    | 'waybill'
    | 'contents'
    | 'ledger'
    | 'notes'
    | 'letters'
    | 'gather'
    | 'media'
    | 'showing'
    | 'notices'
    | 'presence'
    | 'sitting'
    | 'resync';
}

/** What the server announces at one address, for all parts of the window that listen. */
class Stream {
  private source: EventSource | undefined;
  private listeners = new Set<(change: Change) => void>();
  private pending: Record<string, Change> = {};
  private timer: ReturnType<typeof setTimeout> | undefined;
  private first = true;
  private again = 0; // ms until it is asked for once more, after an answer that was no stream
  private waits: ReturnType<typeof setTimeout> | undefined;

  constructor(private address: string) {
    this.open();
  }
  open() {
    if (this.source) return;
    this.source = new EventSource(this.address);
    this.source.onmessage = (event) => this.later(JSON.parse(event.data as string) as Change);
    this.source.onopen = () => {
      if (!this.first) this.later({ package: '', what: 'resync' }); // something may have been missed
      this.first = false;
      this.again = 0;
    };
    // A browser takes up a line that broke by itself. One that was refused, as by a proxy whose server starts anew or
    // where too many are open, it gives up.
    this.source.onerror = () => {
      if (this.source?.readyState !== EventSource.CLOSED) return;
      this.close();
      this.first = false;
      this.again = Math.min(60_000, this.again * 2 || 2000);
      this.waits = setTimeout(() => this.open(), this.again);
    };
  }
  close() {
    clearTimeout(this.waits);
    this.source?.close();
    this.source = undefined;
  }
  private later(change: Change) {
    this.pending[change.what + change.package] = change;
    this.timer ??= setTimeout(() => {
      const burst = Object.values(this.pending);
      this.pending = {};
      this.timer = undefined;
      for (const listener of [...this.listeners]) burst.forEach(listener);
    }, 120);
  }
  add(listener: (change: Change) => void) {
    this.listeners.add(listener);
  }
  drop(listener: (change: Change) => void) {
    this.listeners.delete(listener);
    if (this.listeners.size) return;
    clearTimeout(this.timer);
    this.close();
    streams[this.address] = undefined;
  }
}

/** The streams of this window: one for each address, whoever listens. */
const streams: Record<string, Stream | undefined> = {};

// A page that is left may be kept for going back to. It must not hold its line meanwhile: a browser has six to a
// server, and the page that is looked at would wait for one.
const each = (act: 'open' | 'close') => Object.values(streams).forEach((stream) => stream?.[act]());
addEventListener('pagehide', () => each('close'));
addEventListener('pageshow', () => each('open'));

/**
 * Calls changed for everything that the server announces at the address, as long as there is one, until the
 * component that asked for it goes. A burst comes as one call for each kind. That somebody is here, which is announced
 * every few seconds, is for those alone who ask for it.
 */
export function live(where: string | (() => string), changed: (change: Change) => void, presence = false) {
  $effect(() => {
    const address = typeof where === 'string' ? where : where();
    if (!address) return;
    const stream = (streams[address] ??= new Stream(address));
    const listener = (change: Change) => {
      if (presence || (change.what !== 'presence' && change.what !== 'sitting')) changed(change);
    };
    stream.add(listener);
    return () => stream.drop(listener);
  });
}

/** A clock that ticks, so that times left stay true. */
class Clock {
  now = $state(new Date());
  constructor() {
    setInterval(() => (this.now = new Date()), 15_000);
  }
}

export const clock = new Clock();
