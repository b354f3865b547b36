/** What the server announces: something that a screen would load again. */
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

/** ms that a stream may be broken before anybody hears of it: the server ends one to begin it anew */
const patience = 1800;

/** An event stream at one address, taken up again whenever it breaks, until it is closed. */
export class Stream {
  private source: EventSource | undefined;
  private first = true;
  private backoff = 0; // ms until it is asked for once more, after an answer that was no stream
  private silence: ReturnType<typeof setTimeout> | undefined;
  private retry: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private address: string,
    private tell: (change: Change) => void,
    /** called when it has been broken for a moment, and when it is there again */
    private lost: (is: boolean) => void = () => undefined,
  ) {}

  open() {
    if (this.source) return;
    clearTimeout(this.retry);
    this.source = new EventSource(this.address);
    this.source.onmessage = (event) => this.tell(JSON.parse(event.data as string) as Change);
    this.source.onopen = () => {
      if (!this.first) this.tell({ package: '', what: 'resync' }); // something may have been missed
      this.first = false;
      this.backoff = 0;
      this.says(false);
    };
    // A browser reconnects by itself when a line breaks. One that was refused, as by a proxy whose server is restarting or
    // where too many are open, it gives up.
    this.source.onerror = () => {
      this.silence ??= setTimeout(() => this.says(true), patience);
      if (this.source?.readyState !== EventSource.CLOSED) return;
      this.end();
      this.first = false;
      this.backoff = Math.min(60_000, this.backoff * 2 || 2000);
      this.retry = setTimeout(() => this.open(), this.backoff);
    };
  }

  close() {
    this.end();
    this.says(false);
  }
  private end() {
    clearTimeout(this.retry);
    this.source?.close();
    this.source = undefined;
  }
  private says(lost: boolean) {
    clearTimeout(this.silence);
    this.silence = undefined;
    this.lost(lost);
  }
}
