import type {
  GuestItem,
  GuestPage,
  Item,
  Note,
  Package,
  Place,
  Recipient,
  Thing,
  Version,
  WholeThing,
} from '$api/client';

// Things as the server sends them, of which a test says only what it is about.

export const item = (name: string, more: Partial<Item> = {}): Item => ({
  id: name,
  name,
  title: name,
  folder: '',
  size: 1000,
  weight: '1.0 kB',
  what: 'still',
  mime: 'image/jpeg',
  version: `v-${name}`,
  number: 1,
  media_state: 'ready',
  media_error: '',
  damage: '',
  facts: {} as Item['facts'],
  about: 'still',
  look: `/look/${name}/`,
  made: [],
  media_share: 1,
  pages: 0,
  data: {} as Item['data'],
  html: '',
  lead: '',
  heading: '',
  ...more,
});

export const guestItem = (name: string, more: Partial<GuestItem> = {}): GuestItem => ({
  ...item(name),
  take: `/r/secret/take/${name}/${name}`,
  have: '',
  have_saying: '',
  delivered: 0,
  ...more,
});

export const guestPage = (items: GuestItem[], more: Partial<GuestPage> = {}): GuestPage => ({
  standing: '',
  say: '',
  opens: '',
  may_ask: false,
  asked: '',
  sent_at: '2026-11-24T09:00:00Z',
  studio: 'Low Tide Pictures',
  letterhead: null as never,
  sender: 'Marit Oyelaran',
  recipient: 'Hanne Orrick',
  count: items.length,
  next: '',
  anyone: false,
  preview: false,
  title: 'Lifeboat, cut 3',
  cover_letter: '',
  ends_at: null,
  state: 'out',
  rights: ['see', 'note', 'take'],
  size: 1000,
  weight: '89 MB',
  estimate: '15 s',
  items,
  archive: '/r/secret/zip/Lifeboat.zip?as=7',
  archive_name: 'Lifeboat.zip',
  keeper: '',
  archive_size: 2000,
  ...more,
});

export const note = (id: string, of: string, more: Partial<Note> = {}): Note =>
  ({
    id,
    item: of,
    author: 'P. Anstey',
    who: 'p',
    body: `note ${id}`,
    says: `note ${id}`,
    edition: 1,
    private: false,
    assigned: '',
    assignee: '',
    attached: [],
    signs: [],
    mine: false,
    done: false,
    anchor: {},
    place: { label: '' },
    answers: [],
    ...more,
  }) as unknown as Note;

export const recipient = (name: string, more: Partial<Recipient> = {}): Recipient =>
  ({
    id: name,
    name,
    email: `${name.split(' ')[0]!.toLowerCase()}@kelpwick.example`,
    anyone: false,
    rights: ['see', 'note', 'take'],
    ends: '',
    zone: 'Europe/London',
    link: `http://studio.example/r/${name}`,
    ...more,
  }) as unknown as Recipient;

export const parcel = (more: Partial<Package> = {}): Package =>
  ({
    id: 'p1',
    title: 'Lifeboat, cut 4',
    cover_letter: '',
    state: 'draft',
    door: 'open',
    has_passphrase: false,
    end_rule: { kind: 'after_days', days: 14, zone: 'Europe/London' },
    items: [],
    count: more.items?.length ?? 0,
    next: '',
    recipients: [],
    uploads: [],
    warnings: [],
    sentence: [],
    reminders: [72, 24, 3],
    reminded: '3 days, 1 day and 3 hours before the end',
    size: 0,
    ...more,
  }) as unknown as Package;

export const place = (id: string, kind: Place['kind'], more: Partial<Place> = {}): Place =>
  ({
    id,
    name: id,
    kind,
    items: 0,
    size: 0,
    at_hand_since: null,
    changed_at: '2026-11-20T10:00:00Z',
    ...more,
  }) as unknown as Place;

export const thing = (id: string, more: Partial<Thing> = {}): Thing =>
  ({
    id,
    name: id,
    kind: 'file',
    what: 'still',
    size: 1000,
    weight: '1.0 kB',
    facts: {},
    length: '',
    shape: '',
    rate: '',
    tags: [],
    made: [],
    at_hand: false,
    renditions: 0,
    versions: 1,
    number: 1,
    media_state: 'ready',
    media_share: 0,
    look: `/look/${id}/`,
    added_at: '2026-11-20T10:00:00Z',
    changed_at: '2026-11-20T10:00:00Z',
    ...more,
  }) as unknown as Thing;

export const version = (number: number, more: Partial<Version> = {}): Version => ({
  version: `v${number}`,
  number,
  name: `film_v0${number}.mov`,
  label: '',
  what: 'film',
  mime: 'video/quicktime',
  size: 9_000_000,
  facts: {} as Version['facts'],
  data: {} as Version['data'],
  html: '',
  media_share: 1,
  about: '',
  current: false,
  look: `/look/v${number}/`,
  made: [],
  media_state: 'ready',
  media_error: '',
  damage: '',
  pages: 0,
  weight: '9 MB',
  who: 'Marit Oyelaran',
  added_at: '2026-11-20T10:00:00Z',
  deleted_at: null,
  ...more,
});

export const whole = (id: string, more: Partial<WholeThing> = {}): WholeThing =>
  ({
    ...thing(id),
    version: 'v1',
    path: [],
    fact_lines: [],
    formats: [],
    twins: [],
    lead: '',
    all_versions: [version(1, { current: true })],
    ...more,
  }) as unknown as WholeThing;

/** A moment so many days from now. */
export const days = (n: number) => new Date(Date.now() + n * 86_400_000).toISOString();

/** A package in the table, and on the Desk. */
export const row = (id: string, more: object = {}) => ({ id, title: id, state: 'out', stopped: false, share: '1 of 2 have it', left: '3 days', created_at: days(-5), sent_at: days(-4), ends_at: days(3), items: 4, weight: '89 MB', open_notes: 0, waiting_letters: 0, strands: [], ...more }); // prettier-ignore
