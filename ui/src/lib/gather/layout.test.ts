import { describe, expect, it } from 'vitest';
import { groupsOf, Layout } from './layout';

describe('the list in Gather', () => {
  it('is one group of equal lines where nothing is grouped', () => {
    const list = new Layout([{ name: '', from: 0, count: 50_000 }], 1, 54, 34);
    expect(list.height).toBe(50_000 * 54);
    expect(list.at(49_999)).toEqual({ top: 49_999 * 54, column: 0 });
    const [group] = list.between(54_000, 54_540);
    expect([group?.first, group?.last]).toEqual([1000, 1010]);
  });

  it('begins each group on a new line, under its heading', () => {
    const groups = groupsOf(['', 'mix', 'mix', 'mix', 'rough', 'no tag', 'no tag']);
    expect(groups.map((g) => [g.name, g.from, g.count])).toEqual([
      ['', 0, 1],
      ['mix', 1, 3],
      ['rough', 4, 1],
      ['no tag', 5, 2],
    ]);
    const list = new Layout(groups, 2, 100, 30);
    expect(list.at(0)).toEqual({ top: 0, column: 0 });
    expect(list.at(1)).toEqual({ top: 130, column: 0 });
    expect(list.at(3)).toEqual({ top: 230, column: 0 });
    expect(list.at(4)).toEqual({ top: 360, column: 0 });
    expect(list.at(6)).toEqual({ top: 490, column: 1 });
    expect(list.height).toBe(590);
  });

  it('draws every row that is on screen, and few others', () => {
    const names = Array.from({ length: 997 }, (_, i) => `tag ${Math.floor(i / 37)}`);
    for (const columns of [1, 3, 4]) {
      const list = new Layout(groupsOf(names), columns, 90, 34);
      for (let top = 0; top < list.height; top += 431) {
        const drawn = new Set(
          list.between(top, top + 800).flatMap((g) => Array.from({ length: g.last - g.first }, (_, i) => g.first + i)),
        );
        const wrong = names.filter((_, i) => {
          const row = list.at(i).top;
          const onScreen = row + 90 > top && row < top + 800;
          const far = row + 90 < top - 90 || row > top + 890;
          return (onScreen && !drawn.has(i)) || (far && drawn.has(i));
        });
        expect(wrong).toEqual([]);
      }
    }
  });

  it('is nothing where there is nothing', () => {
    const list = new Layout(groupsOf([]), 3, 90, 34);
    expect([list.height, list.between(0, 800).length, list.at(0).top]).toEqual([0, 0, 0]);
  });
});
