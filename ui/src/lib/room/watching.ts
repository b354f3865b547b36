import type { RoomData } from '$api/client';
import type { Transport } from '$lib/player/transport.svelte';
import { telling, Viewing } from '$lib/player/viewing';
import type { Seat } from './seat';

/** What a Room remembers of watching: where somebody was, in this browser; and for a link, what they saw. */
class Watching {
  private kept = { version: '', at: -10, when: 0 };
  private now: { item: string; viewing: Viewing } | undefined;
  private seen: Record<string, boolean> = {};

  /** Goes to where somebody was in a version when they left it. */
  back(version: string, transport: Transport) {
    const at = Number(read(version));
    if (at > 1) transport.go(at);
  }
  /** Keeps where they are, to the second, once a second at most; at the end it begins anew. */
  keep(version: string, at: number, length: number) {
    const { kept } = this;
    if (kept.version === version && (Math.abs(at - kept.at) < 1 || Date.now() - kept.when < 1000)) return;
    this.kept = { version, at, when: Date.now() };
    write(version, at < length - 1 ? at : 0);
  }

  /** Tells what somebody who came by a link sees of an item; nothing for the studio. page is which page is in front. */
  of(seat: Seat, item: RoomData['item'], page: () => number = () => 0): Viewing | undefined {
    if (!seat.link) return undefined;
    if (this.now?.item === item.id) return this.now.viewing;
    this.now?.viewing.leave();
    const viewing = new Viewing(telling(`${seat.base}/items/${item.id}`), page);
    this.now = { item: item.id, viewing };
    return viewing;
  }
  /** Gives what is told of an item into other hands: it goes on elsewhere. */
  hand(seat: Seat, item: RoomData['item']): Viewing | undefined {
    const viewing = this.of(seat, item);
    this.now = undefined;
    return viewing;
  }
  /** The window goes, perhaps for good: what was seen until now is told. */
  stop() {
    this.now?.viewing.stop();
  }
  /** The Room is left: what was looked at in it is told. */
  leave() {
    this.now?.viewing.leave();
    this.now = undefined;
  }
  looked(seat: Seat, item: RoomData['item']) {
    if (!seat.link || this.seen[item.version]) return;
    this.seen[item.version] = true;
    void fetch(`${seat.base}/items/${item.id}/look`, { method: 'POST' }).catch(() => undefined);
  }
}
const key = (version: string) => `aftergust.at.${version}`;
function read(version: string) {
  try {
    return localStorage.getItem(key(version)) ?? '0';
  } catch {
    return '0';
  }
}
function write(version: string, at: number) {
  try {
    localStorage.setItem(key(version), at.toFixed(2));
  } catch {
    // A browser may keep nothing; then it begins anew.
  }
}

export const watching = new Watching();
