import { whats } from '$api/kinds';

/** What the address says of where one is. */
export interface Where {
  place: string;
  view: 'inside' | 'below' | 'lately' | 'at_hand' | 'only_packed' | 'let_go' | 'space';
  find: string;
  what: What | '';
  tag: string;
  since: string;
}

/** The views across all places, as they are called. */
export const views = [
  ['lately', 'Lately'],
  ['at_hand', 'At hand'],
  ['only_packed', 'Only in packages'],
  ['space', 'Space'],
  ['let_go', 'Let go'],
] as const;

export const orders = {
  hand: 'by hand',
  name: 'name',
  length: 'length',
  size: 'size',
  added: 'date added',
  changed: 'date changed',
} as const;
export type Order = keyof typeof orders;

/** The kinds of content, as filters call them. */
export const kinds = Object.fromEntries(whats.map((w) => [w.name, w.word])) as Record<What, string>;
export type What = (typeof whats)[number]['name'];

/** The address of a place or view. */
export function address(where: Partial<Where>, look = ''): string {
  const query = new URLSearchParams();
  if (where.place) query.set('in', where.place);
  if (where.view && where.view !== 'inside') query.set('view', where.view);
  for (const key of ['find', 'what', 'tag', 'since'] as const) if (where[key]) query.set(key, where[key]);
  if (look) query.set('look', look);
  const text = query.toString();
  return '/gather' + (text ? '?' + text : '');
}

export function whereOf(url: URL): Where {
  const get = (key: string) => url.searchParams.get(key) ?? '';
  return {
    place: get('in'),
    view: (get('view') || 'inside') as Where['view'],
    find: get('find'),
    what: get('what') as Where['what'],
    tag: get('tag'),
    since: get('since'),
  };
}
