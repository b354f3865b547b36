// The same thing in several formats is shown as one.

export type Formatted = { id: string; name: string; lead: string };

// A thing with its other formats, in the order of the package.
export type Thing<T> = { head: T; also: T[] };

// formats are the things of a package. Where shown is one of several formats it
// stands at the head of its thing, and its lead among the others.
export function formats<T extends Formatted>(items: T[], shown = ''): Thing<T>[] {
  const all = new Map<string, [T, ...T[]]>();
  for (const item of items) if (!item.lead) all.set(item.id, [item]);
  for (const item of items) {
    if (!item.lead) continue;
    const same = all.get(item.lead);
    if (same) same.push(item);
    else all.set(item.id, [item]); // its lead is not here
  }
  return [...all.values()].map((same) => {
    const head = same.find((i) => i.id === shown) ?? same[0];
    return { head, also: same.filter((i) => i !== head) };
  });
}

// headed says over which things a heading stands anew, where things come as they do here: each heading is over its thing
// and those that follow it in the package.
export function headed<T extends Formatted & { heading: string }>(all: T[], shown: Thing<T>[]): Map<string, string> {
  const over = new Map<string, string>();
  let heading = '';
  for (const item of all) over.set(item.id, (heading = item.heading || heading));
  const out = new Map<string, string>();
  let last = '';
  for (const { head } of shown) {
    const its = over.get(head.id) ?? '';
    if (its !== last) out.set(head.id, its);
    last = its;
  }
  return out;
}

// suffix is what a format is called by: the end of its name, or what it is.
export const suffix = (item: { name: string; what: string }) =>
  (/\.([a-z0-9]{1,5})$/i.exec(item.name)?.[1] ?? item.what).toUpperCase();

/** Whether a piece has something to play, be it a film or a sound. */
export const playable = (piece: { what: string } | undefined) => piece?.what === 'film' || piece?.what === 'sound';

/** What does not play and counts by the time that it, or a page of it, is in front. */
export const turned = (item: { pages: number; what: string; made: string[] }) =>
  item.pages > 0 || ['swatch', 'sheet', 'link'].includes(item.what) || item.made.includes('text');
