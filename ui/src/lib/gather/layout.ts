/** Rows that stand together in the list, under a heading or under none. */
export interface Group {
  name: string;
  /** index of its first row in the whole list */
  from: number;
  count: number;
}

interface Placed extends Group {
  /** of its first line, in pixels from the top of the list */
  top: number;
}

/**
 * Where the rows of the list lie, so that only those on screen need be drawn. Each group begins a new line,
 * under a heading if it has a name. All heights are in pixels.
 */
export class Layout {
  readonly height: number;
  private readonly placed: Placed[] = [];

  constructor(
    groups: Group[],
    readonly columns: number,
    readonly lineHeight: number,
    readonly headHeight: number,
  ) {
    let top = 0;
    for (const group of groups.filter((g) => g.count > 0)) {
      if (group.name) top += headHeight;
      this.placed.push({ ...group, top });
      top += Math.ceil(group.count / columns) * lineHeight;
    }
    this.height = top;
  }

  /** Where a row lies. */
  at(index: number): { top: number; column: number } {
    const group = this.placed.findLast((g) => g.from <= index);
    if (!group) return { top: 0, column: 0 };
    const within = index - group.from;
    return { top: group.top + Math.floor(within / this.columns) * this.lineHeight, column: within % this.columns };
  }

  /** The groups that reach between two heights, each with those of its rows that do. */
  between(top: number, bottom: number): (Placed & { first: number; last: number })[] {
    return this.placed
      .map((group) => ({
        ...group,
        first: group.from + this.columns * Math.max(0, Math.floor((top - group.top) / this.lineHeight)),
        last:
          group.from +
          Math.min(group.count, this.columns * Math.max(0, Math.ceil((bottom - group.top) / this.lineHeight))),
      }))
      .filter((g) => g.first < g.from + g.count && g.top - this.headHeight < bottom);
  }
}

/** Groups of equal names, in the order in which rows come. */
export function groupsOf(names: string[]): Group[] {
  const groups: Group[] = [];
  names.forEach((name, from) => {
    const last = groups.at(-1);
    if (last?.name === name) last.count++;
    else groups.push({ name, from, count: 1 });
  });
  return groups;
}
