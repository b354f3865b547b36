import { Problem, words, type Anchor, type Attachment, type Note, type RoomData } from '$api/client';
import type { Seat } from './seat';

export type Which = 'open' | 'done' | 'all';
export type Kind = '' | 'text' | 'voice' | 'sketch' | 'span' | 'picture';

/** A note as it lies on the version that is looked at. */
export interface Laid extends Note {
  /** where it lies here; where it was written is in anchor and place */
  here: Anchor;
  label: string;
  untilLabel: string;
  /** brought along from an older version */
  away: boolean;
  lane: string;
}

export const begins = (a: Anchor) => a.at_us ?? 0;
export const ends = (a: Anchor) => (a.when === 'span' ? (a.until_us ?? 0) : begins(a));

/** A kind of note by what is in it. */
export function isOf(note: Note, kind: Kind): boolean {
  switch (kind) {
    case 'voice':
      return note.attached.some((a) => a.kind === 'voice');
    case 'picture':
      return note.attached.some((a) => a.kind === 'picture');
    case 'sketch':
      return Boolean(note.anchor.strokes?.length);
    case 'span':
      return note.anchor.when === 'span';
    case 'text':
      return note.body !== '';
    default:
      return true;
  }
}

/** Lays notes on a version: its own, and those carried along from before it that are open or were done on it. */
export function lay(notes: Note[], versions: RoomData['versions'], version: string): Laid[] {
  const number = versions.find((v) => v.id === version)?.number ?? Infinity;
  return notes
    .filter((n) => n.version === version || (n.number < number && !n.done))
    .map((n) => ({
      ...n,
      here: n.carried?.anchor ?? n.anchor,
      label: n.carried?.place.label ?? n.place.label,
      untilLabel: n.carried?.place.until_label ?? n.place.until_label,
      away: n.version !== version,
      lane: n.version === version ? n.author : `From version ${n.number}`,
    }))
    .sort((a, b) => begins(a.here) - begins(b.here) || a.at.localeCompare(b.at));
}

/** The conversation about one item, as it is in the studio at the moment, and what of it one looks at. */
export class Review {
  room = $state.raw<RoomData>();
  problem = $state('');
  gone = $state(false);
  picked = $state('');
  which = $state<Which>('all');
  who = $state('');
  kind = $state<Kind>('');
  find = $state('');
  private turn = 0;

  constructor(readonly seat: Seat) {}

  /** Looks anew at an item, in a version; empty for the one that the package gives. */
  async load(item: string, version = '') {
    const turn = ++this.turn;
    try {
      const room = await this.seat.room(item, version);
      if (turn !== this.turn) return;
      this.room = room;
      this.problem = '';
      this.gone = false;
    } catch (thrown) {
      if (turn !== this.turn) return;
      this.problem = words(thrown);
      this.gone = thrown instanceof Problem && (thrown.status === 404 || thrown.status === 410);
    }
  }

  all = $derived.by(() => (this.room ? lay(this.room.notes, this.room.versions, this.room.item.version) : []));
  /** what passes the filters, by time */
  shown = $derived.by(() => {
    const find = this.find.trim().toLowerCase();
    const says = (n: Note) => `${n.body} ${n.author} ${n.place.label}`.toLowerCase();
    return this.all.filter(
      (n) =>
        (this.which === 'all' || n.done === (this.which === 'done')) &&
        (!this.who || (this.who === 'me' ? n.mine || n.assigned === this.me : n.who === this.who)) &&
        isOf(n, this.kind) &&
        (!find || says(n).includes(find) || n.answers.some((a) => says(a).includes(find))),
    );
  });
  /** everybody who wrote a note here */
  authors = $derived.by(() => {
    const by: Record<string, string> = {};
    for (const n of this.all) by[n.who] = n.author;
    return Object.entries(by).map(([id, name]) => ({ id, name }));
  });
  open = $derived(this.all.filter((n) => !n.done).length);
  filtered = $derived(this.which !== 'all' || Boolean(this.who || this.kind || this.find.trim()));
  note = $derived(this.shown.find((n) => n.id === this.picked) ?? this.shown.find((n) => !n.done) ?? this.shown[0]);

  get me() {
    return this.room?.people.find((p) => p.me)?.id ?? '';
  }
  may(verb: RoomData['rights'][number]) {
    return this.room?.rights.includes(verb) ?? false;
  }
  /** The note before or after the one in front, of those that pass; only open ones where asked. */
  step(by: 1 | -1, onlyOpen = false): Laid | undefined {
    const list = onlyOpen ? this.shown.filter((n) => !n.done || n.id === this.note?.id) : this.shown;
    if (!list.length) return undefined;
    const at = list.findIndex((n) => n.id === this.note?.id);
    return list[(at + by + list.length) % list.length];
  }
  /** The notes under a moment; what lies at a single frame stays in sight for a second and a half while it plays. */
  under(micros: number, plays: boolean): Laid[] {
    const stay = plays ? 1_500_000 : 0;
    return this.shown.filter(
      (n) => n.here.when && begins(n.here) <= micros && micros <= Math.max(ends(n.here), begins(n.here) + stay),
    );
  }
}

/** What somebody began to write and did not send, kept in this browser. */
export interface Begun {
  text: string;
  anchor: Anchor;
  private: boolean;
  /** what lies at the server already, for a day */
  attached: Attachment[];
}
/** What was begun at an item as a note, or at a note as an answer; of is its id. */
const keyOf = (of: string) => `aftergust.draft.${of}`;
export function keepDraft(of: string, draft: Begun | null) {
  try {
    if (draft && (draft.text.trim() || draft.attached.length || draft.anchor.strokes?.length))
      localStorage.setItem(keyOf(of), JSON.stringify(draft));
    else localStorage.removeItem(keyOf(of));
  } catch {
    // A browser may keep nothing; the draft lives as long as the tab then.
  }
}
export function keptDraft(of: string): Begun | null {
  try {
    return JSON.parse(localStorage.getItem(keyOf(of)) ?? 'null') as Begun | null;
  } catch {
    return null;
  }
}
