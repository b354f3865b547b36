import { createStore, delMany, entries, setMany } from 'idb-keyval';
import type { Source } from './found';

/** What is kept of an upload, so that it goes on after a reload or a crash without being chosen again. */
export interface Kept {
  /** what makes it this upload, of this member */
  key: string;
  /** member whose upload it is */
  member: string;
  /** the page that has it in hand */
  page: string;
  /** when it was kept, in ms since 1970 */
  at: number;
  /** place in the order of that page */
  order: number;
  parcel: string;
  place: string;
  item: string;
  picture: boolean;
  folder: string;
  name: string;
  tags: string[];
  /** bytes */
  size: number;
  /** as the file system has it, in ms since 1970 */
  changed: number;
  paused: boolean;
  source: Source;
}

/** After so long the server has let go of what had arrived, in ms. */
const longest = 7 * 86_400_000;
const lockOf = (page: string) => `aftergust.page.${page}`;
const page = Math.random().toString(36).slice(2);
// Handles and locks are both there only where the connection is secure, and not in every browser.
const able = () => 'indexedDB' in globalThis && Boolean(globalThis.navigator?.locks);
const shelf = () => (store ??= createStore('aftergust', 'uploads'));
let store: ReturnType<typeof createStore> | undefined;
let shown = false;

/** Shows other pages, for as long as this one lives, that its uploads are in hand. */
async function show() {
  if (shown) return;
  shown = true;
  await new Promise<void>((ready) => {
    void navigator.locks.request(lockOf(page), () => {
      ready();
      return new Promise(() => {});
    });
  });
}

// One change after another, so that what is kept and let go at once ends as it was meant.
let turn: Promise<unknown> = Promise.resolve();
function inTurn<T>(what: () => Promise<T>, otherwise: T): Promise<T> {
  const mine = turn.then(() => (able() ? what() : otherwise)).catch(() => otherwise);
  turn = mine;
  return mine;
}

export function keep(list: Omit<Kept, 'page' | 'at'>[]): Promise<void> {
  return inTurn(async () => {
    await show();
    const at = Date.now();
    await setMany(
      list.map((k) => [k.key, { ...k, page, at }]),
      shelf(),
    );
  }, undefined);
}

export function letGo(keys: string[]): Promise<void> {
  return inTurn(() => delMany(keys, shelf()), undefined);
}

/** Takes over what pages that are gone have left of a member's uploads, in their order. */
export function claim(member: string): Promise<Kept[]> {
  return inTurn(async () => {
    await show();
    return navigator.locks.request('aftergust.claim', async () => {
      const alive = new Set((await navigator.locks.query()).held?.map((lock) => lock.name));
      const all = (await entries<string, Kept>(shelf())).map(([, kept]) => kept);
      const left = all.filter((k) => !alive.has(lockOf(k.page)));
      const old = left.filter((k) => Date.now() - k.at > longest);
      const mine = left.filter((k) => k.member === member && !old.includes(k)).sort((a, b) => a.order - b.order);
      await delMany(
        old.map((k) => k.key),
        shelf(),
      );
      await setMany(
        mine.map((k) => [k.key, { ...k, page }]),
        shelf(),
      );
      return mine;
    });
  }, []);
}
