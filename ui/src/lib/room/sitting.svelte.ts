import type { Schemas } from '$api/client';
import { inside, nearest } from '$lib/timecode';
import type { Transport } from '$lib/player/transport.svelte';
import type { Seat } from './seat';

export type Sitter = Schemas['SeatView'];

const beat = 10_000; // one says that one is there, in ms
const leadBeat = 1500; // whoever leads and plays says where
const settle = 120; // moves in quick succession are said as one

/**
 * Who is in the Room of an item; and where somebody leads, what they show. Both sides reckon by the server's clock, so
 * that a slow line makes nobody late: a place is said together with the moment at which it was so.
 */
export class Sitting {
  all = $state.raw<Sitter[]>([]);
  leads = $state(false);
  follows = $state(false);
  private item = '';
  private version = '';
  /** the server's clock less ours, in ms, by the quickest answer so far */
  private offset = 0;
  private quickest = Infinity;
  private timer: ReturnType<typeof setInterval> | undefined;
  private soon: ReturnType<typeof setTimeout> | undefined;
  private said = '';

  constructor(
    private readonly seat: Seat,
    private readonly transport: Transport,
  ) {}

  others = $derived(this.all.filter((s) => !s.me));
  leader = $derived(this.all.find((s) => s.leads));
  /** who is here, in a sentence; empty for nobody else */
  says = $derived.by(() => {
    const names = this.others.map((s) => s.name);
    if (!names.length) return '';
    const list =
      names.length > 2 ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more` : names.join(' and ');
    if (this.leads) return `You lead ${list}`;
    if (this.leader) return this.follows ? `${this.leader.name} leads you` : `${this.leader.name} leads`;
    return `${list} ${names.length > 1 ? 'are' : 'is'} here`;
  });

  now() {
    return Date.now() + this.offset;
  }
  private take(view: Schemas['SittingView'], asked: number, answered: number) {
    const took = answered - asked;
    if (took <= this.quickest * 1.2) {
      this.quickest = Math.min(this.quickest, took);
      this.offset = view.now_ms - (asked + answered) / 2;
    }
    this.all = view.seats;
    if (this.leads && !this.all.some((s) => s.me && s.leads)) this.leads = false; // somebody else took it
    if (!this.leader || this.leader.me) this.follows = false;
    this.follow();
  }
  private async timed(ask: () => Promise<Schemas['SittingView']>) {
    const asked = Date.now();
    const view = await ask().catch(() => undefined); // who is here is no reason to complain
    if (view) this.take(view, asked, Date.now());
  }

  /** Sits down in the Room of an item; from the one before one has gone. */
  enter(item: string, version: string) {
    this.version = version;
    if (item === this.item) return;
    this.leave();
    this.item = item;
    void this.tell();
    this.timer = setInterval(() => void this.tell(), beat);
  }
  leave() {
    clearInterval(this.timer);
    if (this.item) this.seat.leave(this.item);
    this.item = '';
    this.leads = this.follows = false;
    this.all = [];
  }
  look = () => (this.item ? this.timed(() => this.seat.sitting(this.item)) : Promise.resolve());

  private tell() {
    if (!this.item) return Promise.resolve();
    const t = this.transport;
    return this.timed(() =>
      this.seat.sit(this.item, {
        leads: this.leads,
        version: this.version,
        at_us: Math.max(0, Math.round(t.seconds * 1e6)),
        plays: t.running && t.shuttle >= 0,
        speed: t.shuttle || t.speed,
        clock_ms: Math.round(this.now()),
      }),
    );
  }
  /** G: to lead where nobody does, to follow or not where somebody does, to cease leading. */
  turn() {
    if (this.leads) this.leads = false;
    else if (this.leader && !this.leader.me) {
      this.follows = !this.follows;
      if (this.follows) void this.look();
      return;
    } else this.leads = true;
    void this.tell();
  }
  /** Called with what a screen shows, whenever that changes; whoever leads says it. */
  moved(plays: boolean, seconds: number, speed: number) {
    if (!this.leads) return;
    // While it plays the place follows from what was said; it is said anew from time to time.
    const sign = plays ? `plays ${speed} ${Math.floor(Date.now() / leadBeat)}` : `rests ${seconds.toFixed(3)}`;
    if (sign === this.said) return;
    this.said = sign;
    clearTimeout(this.soon);
    this.soon = setTimeout(() => void this.tell(), settle);
  }
  /** Brings the player to where whoever leads is now. */
  follow() {
    const leader = this.leader;
    const t = this.transport;
    if (!this.follows || !leader || leader.me || leader.version !== this.version || !t.media) return;
    const ahead = leader.plays ? ((this.now() - leader.clock_ms) / 1000) * leader.speed : 0;
    const wanted = Math.min(t.length, leader.at_us / 1e6 + ahead);
    const frame = t.line ? t.line.den / t.line.num : 0.04;
    if (!leader.plays) {
      if (!t.paused) t.pause();
      const at = t.line ? inside(t.line, nearest(t.line, leader.at_us / 1e6 - frame / 2)) : wanted;
      if (Math.abs(t.media.currentTime - at) > frame / 4) t.go(at);
      return;
    }
    if (t.paused) {
      t.go(wanted);
      t.speed = Math.min(2, leader.speed);
      void t.play();
      return;
    }
    // A small lead or lag is made up by speed, which nobody hears; a large one by going there.
    const behind = wanted - t.media.currentTime;
    if (Math.abs(behind) > 0.6) t.go(wanted);
    t.media.playbackRate = leader.speed * (1 + Math.max(-0.08, Math.min(0.08, behind * 1.5)));
  }
}
