import { SvelteSet } from 'svelte/reactivity';
import type { Ask, Told } from './live.worker';
import { Stream, type Change } from './stream';

export type { Change };

/** Whether the server is out of reach, as far as an open stream tells, or the browser itself. */
class Reach {
  private broken = new SvelteSet<string>();
  private offline = $state(typeof navigator !== 'undefined' && navigator.onLine === false);
  lost = $derived(this.offline || this.broken.size > 0);

  constructor() {
    if (typeof window === 'undefined') return;
    addEventListener('offline', () => (this.offline = true));
    addEventListener('online', () => (this.offline = false));
  }
  is(address: string, lost: boolean) {
    if (lost) this.broken.add(address);
    else this.broken.delete(address);
  }
}
export const reach = new Reach();

/** The worker that holds the streams of all tabs; undefined where this browser has none, as on some phones. */
function shared(): MessagePort | undefined {
  if (typeof SharedWorker === 'undefined') return undefined;
  try {
    const worker = new SharedWorker(new URL('./live.worker.ts', import.meta.url), { type: 'module', name: 'live' });
    worker.onerror = () => alone(); // it could not be loaded
    worker.port.onmessage = ({ data }: MessageEvent<Told>) => {
      if ('change' in data) heard[data.address]?.later(data.change);
      else reach.is(data.address, data.lost);
    };
    return worker.port;
  } catch {
    return undefined;
  }
}
let port = shared();
const ask = (what: Ask) => port?.postMessage(what);

/** Goes on with streams of this tab alone. */
function alone() {
  port = undefined;
  each('open');
}

/** Connects again, as whoever is signed in now. */
export function renewStreams() {
  if (port) return ask({ renew: true });
  each('close');
  each('open');
}

/** What is announced at one address, for all parts of the window that listen. */
class Hearing {
  private stream: Stream;
  private listeners = new Set<(change: Change) => void>();
  private pending: Record<string, Change> = {};
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private address: string) {
    this.stream = new Stream(
      address,
      (change) => this.later(change),
      (lost) => reach.is(address, lost),
    );
    this.open();
  }
  open() {
    if (port) ask({ open: this.address });
    else this.stream.open();
  }
  close() {
    ask({ close: this.address });
    this.stream.close();
    reach.is(this.address, false);
  }
  later(change: Change) {
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
    heard[this.address] = undefined;
  }
}

/** What this window listens to, by address. */
const heard: Record<string, Hearing | undefined> = {};

// A page that is left may be kept for going back to. It must not hold its line meanwhile: a browser has six to a
// server, and the page that is looked at would wait for one.
function each(act: 'open' | 'close') {
  Object.values(heard).forEach((hearing) => hearing?.[act]());
}
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
    const hearing = (heard[address] ??= new Hearing(address));
    const listener = (change: Change) => {
      if (presence || (change.what !== 'presence' && change.what !== 'sitting')) changed(change);
    };
    hearing.add(listener);
    return () => hearing.drop(listener);
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
