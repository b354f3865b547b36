// Lists of a package come a page at a time, whatever their length.

export interface Page<T> {
  items: T[];
  next: string;
}

/**
 * A list as far as it was shown before it was loaded anew: its first page, and
 * those after it until enough says so, or the list ends.
 */
export async function upTo<T>(
  first: Page<T>,
  enough: (items: T[]) => boolean,
  ask: (after: string) => Promise<Page<T>>,
): Promise<Page<T>> {
  let { items, next } = first;
  while (next && !enough(items)) {
    const page = await ask(next);
    items = [...items, ...page.items];
    next = page.next;
  }
  return { items, next };
}
