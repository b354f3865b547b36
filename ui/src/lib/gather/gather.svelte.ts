import { api, need, words, type Place, type Thing } from '$api/client';
import { untrack } from 'svelte';
import { groupsOf, type Group } from './layout';
import type { Order, Where } from './where';

export * from './where';

const pageSize = 120;
const keep = 'aftergust.gather';

interface Liking {
  order: Order;
  down: boolean;
  pictures: boolean;
  size: 'small' | 'middle' | 'large';
  grouped: boolean;
}
const usual: Liking = { order: 'name', down: false, pictures: false, size: 'middle', grouped: false };

function liked(): Liking {
  try {
    return { ...usual, ...(JSON.parse(localStorage.getItem(keep) ?? '{}') as Partial<Liking>) };
  } catch {
    return usual;
  }
}

/** One row: a place or a thing. */
export type Row = { id: string; place: Place; thing?: undefined } | { id: string; thing: Thing; place?: undefined };

/** A package for which things are chosen, and what was chosen for it in places that one has left. */
export interface For {
  id: string;
  title: string;
  /** it is a page for finished work, not a package */
  showing?: boolean;
  items: string[];
  places: string[];
  size: number;
}
const keepFor = 'aftergust.for';
function lastFor(): For | null {
  try {
    return JSON.parse(sessionStorage.getItem(keepFor) ?? 'null') as For | null;
  } catch {
    return null;
  }
}

/** The list in Gather: what lies where one is, a page at a time, and what of it is chosen. */
class Gather {
  where = $state<Where>({ place: '', view: 'inside', find: '', what: '', tag: '', since: '' });
  path = $state<Place[]>([]);
  places = $state<Place[]>([]);
  things = $state.raw<Thing[]>([]);
  next = $state('');
  state = $state<'loading' | 'ready' | 'failed'>('loading');
  problem = $state('');
  liking = $state<Liking>(liked());
  chosen = $state.raw<Set<string>>(new Set());
  /** id of the row that the keys are on */
  at = $state('');
  /** what is chosen for, when one came here from a package */
  for = $state<For | null>(lastFor());
  private anchor = '';
  private turn = 0;

  here = $derived(this.path.at(-1));
  filtered = $derived(Boolean(this.where.find || this.where.what || this.where.tag || this.where.since));
  /** Whether files and things can be put here. */
  takes = $derived(this.where.view === 'inside' && (this.here?.kind === 'project' || this.here?.kind === 'folder'));
  ordered = $derived(this.takes && this.liking.order === 'hand' && !this.liking.grouped && !this.filtered);

  rows = $derived.by<Row[]>(() => {
    const things: Row[] = this.things.map((thing) => ({ id: thing.id, thing }));
    if (this.liking.grouped) things.sort((a, b) => tagOf(a).localeCompare(tagOf(b)));
    return [...this.places.map((place) => ({ id: place.id, place })), ...things];
  });
  groups = $derived<Group[]>(
    this.liking.grouped
      ? groupsOf(this.rows.map((r) => (r.place ? '' : (r.thing.tags[0] ?? 'no tag'))))
      : [{ name: '', from: 0, count: this.rows.length }],
  );
  picked = $derived(this.rows.filter((r) => this.chosen.has(r.id)));
  pickedThings = $derived(this.picked.flatMap((r) => (r.thing ? [r.thing] : [])));
  selection = $derived({
    items: this.picked.flatMap((r) => (r.thing ? [r.id] : [])),
    places: this.picked.flatMap((r) => (r.place ? [r.id] : [])),
  });

  like(change: Partial<Liking>) {
    const again = ('order' in change && change.order !== this.liking.order) || 'down' in change;
    Object.assign(this.liking, change);
    localStorage.setItem(keep, JSON.stringify(this.liking));
    if (again) void this.load();
  }

  private ask(after: string, limit: number) {
    const { place, view, find, what, tag, since } = this.where;
    const asked = view === 'let_go' || view === 'space' ? 'inside' : view;
    return need(
      api.GET('/api/v1/gather', {
        params: {
          query: {
            ...(place && { place }),
            ...(find && { find }),
            ...(what && { what: [what] }),
            ...(tag && { tag }),
            ...(since && { since: new Date(Date.now() - Number(since) * 86_400_000).toISOString() }),
            ...(after && { after }),
            view: asked,
            order: this.liking.order,
            down: this.liking.down,
            limit,
          },
        },
      }),
    );
  }

  /** Chooses for a package or a showing from now on, or for nothing any more. */
  chooseFor(parcel: { id: string; title: string; showing?: boolean } | null) {
    this.for = parcel && { ...parcel, items: [], places: [], size: 0 };
    this.keepFor();
  }
  private keepFor() {
    if (this.for) sessionStorage.setItem(keepFor, JSON.stringify(this.for));
    else sessionStorage.removeItem(keepFor);
  }
  /** All that is chosen for the package: here, and in places that one has left. */
  forAll = $derived({
    items: [...new Set([...(this.for?.items ?? []), ...this.selection.items])],
    places: [...new Set([...(this.for?.places ?? []), ...this.selection.places])],
  });
  forSize = $derived(
    (this.for?.size ?? 0) +
      this.pickedThings.filter((t) => !this.for?.items.includes(t.id)).reduce((sum, t) => sum + t.size, 0),
  );

  /** Looks at a place. What was chosen elsewhere is let go, but for what is chosen for a package. */
  async go(where: Where) {
    if (this.for) {
      this.for = { ...this.for, ...this.forAll, size: this.forSize };
      this.keepFor();
    }
    this.chosen = new Set();
    this.at = '';
    this.where = where;
    this.state = 'loading';
    await this.load();
  }

  /** Looks again, as far as one has come. */
  async load() {
    const turn = ++this.turn;
    try {
      const shown = untrack(() => Math.min(500, Math.max(pageSize, this.things.length)));
      const list = await this.ask('', shown);
      if (turn !== this.turn) return;
      this.path = list.path;
      this.places = list.places;
      this.things = list.things;
      this.next = list.next;
      this.state = 'ready';
      this.problem = '';
      const there = new Set(this.rows.map((r) => r.id));
      this.chosen = new Set([...this.chosen].filter((id) => there.has(id)));
    } catch (thrown) {
      if (turn !== this.turn) return;
      this.state = 'failed';
      this.problem = words(thrown);
    }
  }

  private more: Promise<void> | null = null;
  /** Brings the next page, once at a time. */
  page(): Promise<void> {
    if (!this.next) return Promise.resolve();
    this.more ??= (async () => {
      const turn = this.turn;
      try {
        const list = await this.ask(this.next, pageSize * 4);
        if (turn !== this.turn) return;
        this.things = [...this.things, ...list.things];
        this.next = list.next;
      } finally {
        this.more = null;
      }
    })();
    return this.more;
  }

  // Choosing, with the usual modifier keys.
  choose(id: string, how: 'one' | 'also' | 'to' = 'one') {
    if (how === 'one') this.chosen = new Set([id]);
    else if (how === 'also') {
      // eslint-disable-next-line svelte/prefer-svelte-reactivity -- replaced as a whole, never changed in place
      const set = new Set(this.chosen);
      if (!set.delete(id)) set.add(id);
      this.chosen = set;
    } else {
      const from = this.rows.findIndex((r) => r.id === (this.anchor || id));
      const to = this.rows.findIndex((r) => r.id === id);
      this.chosen = new Set(this.rows.slice(Math.min(from, to), Math.max(from, to) + 1).map((r) => r.id));
    }
    if (how !== 'to') this.anchor = id;
    this.at = id;
  }
  all() {
    this.chosen = new Set(this.rows.map((r) => r.id));
  }
  none() {
    this.chosen = new Set();
  }

  /** Moves the keys' row by so many and returns the new place in the list. */
  step(by: number, extend: boolean): number {
    const now = this.rows.findIndex((r) => r.id === this.at);
    const to = Math.max(0, Math.min(this.rows.length - 1, now < 0 ? 0 : now + by));
    const row = this.rows[to];
    if (!row) return -1;
    if (extend && !this.anchor) this.anchor = this.at || row.id;
    this.choose(row.id, extend ? 'to' : 'one');
    return to;
  }
}

const tagOf = (r: Row) => r.thing?.tags[0] ?? '\uffff';

export const gather = new Gather();
