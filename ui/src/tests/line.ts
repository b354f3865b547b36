import type { Change } from '$lib/live.svelte';

/** Stands for the line on which the server announces changes. */
export class Line {
  static readonly CLOSED = 2;
  static open: Line[] = [];
  /** whether a line that is asked for from now on is refused */
  static refuses = false;
  readyState = 1;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  onmessage: ((event: { data: string }) => void) | null = null;
  constructor(readonly address: string) {
    Line.open.push(this);
    queueMicrotask(() => (Line.refuses ? Line.refused() : this.onopen?.()));
  }
  close() {
    Line.open = Line.open.filter((line) => line !== this);
  }

  /** Announces a change to every page that listens. */
  static tells(change: Change) {
    for (const line of Line.open) line.onmessage?.({ data: JSON.stringify(change) });
  }
  /** Breaks off and comes back, as a browser does by itself. */
  static comesBack() {
    for (const line of Line.open) line.onopen?.();
  }
  /** Is refused, as by a proxy whose server starts anew: a browser gives such a line up. */
  static refused() {
    for (const line of [...Line.open]) {
      line.readyState = Line.CLOSED;
      line.onerror?.();
    }
  }
}
globalThis.EventSource = Line as never; // stays when a test takes back what it put in a place
