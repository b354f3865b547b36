/** A stretch of a piece, in milliseconds. */
export interface Run {
  start: number;
  end: number;
}
/** What a screen tells of what was in front, as the server takes it. */
export interface Sign {
  viewing: string;
  first?: number;
  runs?: Run[];
  pages?: number[];
  at?: number;
  plays?: boolean;
}

/** How a link tells of an item: the address of the item in the API. The answer is whether it has arrived. */
export const telling = (address: string) => (sign: Sign) =>
  fetch(`${address}/viewing`, {
    method: 'POST',
    keepalive: true,
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(sign),
  }).then(
    (answer) => answer.ok,
    () => false,
  );

const most = 500; // stretches of one viewing, as the server has it
const beat = 4000;
const stillBeat = 20_000;

function key() {
  return Array.from(crypto.getRandomValues(new Uint8Array(10)), (b) => b.toString(16).padStart(2, '0')).join('');
}

/**
 * One person before one piece, from opening it until they leave it: which stretches played, in order, and for how long
 * each page was in front. Only what is in front counts: a tab in the background tells nothing.
 */
export class Viewing {
  private key = key();
  private runs: Run[] = [];
  private sure = 0; // stretches before this one have arrived, and grow no more
  private open = false; // the last stretch still plays
  private pages: number[] = [];
  private place = 0;
  private told = '';
  private toldAt = 0;
  private since = Date.now();
  private timer = setInterval(() => this.tick(), 1000);

  /** send tells the server, and whether it has arrived. page is which page is in front; 0 where none is. */
  constructor(
    private send: (sign: Sign) => Promise<boolean>,
    private page: () => number = () => 0,
    private front: () => boolean = () => document.visibilityState === 'visible',
  ) {}

  /** The player is at so many seconds; plays says whether what lies before them has just played. */
  at(seconds: number, plays: boolean) {
    this.place = Math.floor(seconds * 1000);
    if (!plays || !this.front()) {
      this.open = false;
      return;
    }
    const last = this.runs.at(-1);
    // Rounded inwards, so that no millisecond is claimed that did not play.
    if (this.open && last && this.place >= last.end && this.place - last.end < 2500) last.end = this.place;
    else {
      if (this.runs.length === most) {
        void this.tell();
        this.key = key();
        this.runs = [];
        this.sure = 0;
      }
      const start = Math.ceil(seconds * 1000);
      this.runs.push({ start, end: start });
      this.open = true;
      if (this.runs.length === 1) void this.tell(); // from now on time counts
    }
  }
  /** The stretch that played is over: paused, at its end, or somebody jumps. */
  stop(tell = true) {
    this.open = false;
    if (tell) void this.tell();
  }
  /** Tells the rest and ends. */
  leave() {
    clearInterval(this.timer);
    this.open = false;
    void this.tell();
  }

  private tick() {
    const now = Date.now();
    const page = this.page();
    // A timer that was late (the machine slept) is no second before the page.
    if (page && this.front()) {
      while (this.pages.length < page) this.pages.push(0);
      this.pages[page - 1]! += Math.min(now - this.since, 1500);
      this.place = page;
    }
    this.since = now;
    if (this.front() && now - this.toldAt >= (this.open ? beat : stillBeat)) void this.tell(true);
  }
  private async tell(here = false) {
    const first = Math.min(this.sure, this.runs.length);
    const runs = this.runs.slice(first).map((r) => ({ ...r }));
    const sign: Sign = { viewing: this.key, at: this.place, plays: this.open };
    if (runs.length) Object.assign(sign, { first, runs });
    if (this.pages.length) sign.pages = this.pages.map(Math.floor);
    const now = JSON.stringify(sign);
    if (!here && (now === this.told || (!runs.length && !this.pages.length))) return;
    if (!this.runs.length && !this.pages.length) return; // nobody has begun
    [this.told, this.toldAt] = [now, Date.now()];
    const mine = this.key;
    const arrived = await this.send(sign);
    if (mine !== this.key) return;
    if (arrived) this.sure = Math.max(this.sure, first + runs.length - 1);
    else this.told = '';
  }
}
