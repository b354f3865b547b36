import { describe, expect, it } from 'vitest';
import { formats, headed, suffix } from './formats';

const item = (name: string, lead = '') => ({ id: name, name, lead });
const names = (things: ReturnType<typeof formats>) => things.map((t) => [t.head.name, ...t.also.map((i) => i.name)]);

describe('formats', () => {
  const items = [item('a.mov'), item('b.heic'), item('b.jpg', 'b.heic'), item('a.mp4', 'a.mov'), item('c.wav')];

  it('shows the same thing as one, in the order of the package', () => {
    expect(names(formats(items))).toEqual([['a.mov', 'a.mp4'], ['b.heic', 'b.jpg'], ['c.wav']]);
  });
  it('puts the format that is shown at the head', () => {
    expect(names(formats(items, 'b.jpg'))).toEqual([['a.mov', 'a.mp4'], ['b.jpg', 'b.heic'], ['c.wav']]);
  });
  it('finds a lead that comes after its formats', () => {
    expect(names(formats([item('b.jpg', 'b.heic'), item('b.heic')]))).toEqual([['b.heic', 'b.jpg']]);
  });
  it('loses nothing whose lead is not there', () => {
    expect(
      names(formats([item('b.jpg', 'gone'), item('a.mov')]))
        .flat()
        .sort(),
    ).toEqual(['a.mov', 'b.jpg']);
  });
});

describe('suffix', () => {
  it('is the end of the name', () => expect(suffix({ name: 'harbour_01.Heic', what: 'still' })).toBe('HEIC'));
  it('is the kind of what has none', () => expect(suffix({ name: 'README', what: 'other' })).toBe('OTHER'));
  it('is the kind where the end is no suffix', () =>
    expect(suffix({ name: 'a.longer than one', what: 'sheet' })).toBe('SHEET'));
});

describe('headings', () => {
  const thing = (id: string, heading = '') => ({ id, name: id, lead: '', heading });
  const all = [thing('a'), thing('b', 'Films'), thing('c'), thing('d', 'Stills'), thing('e')];

  it('stand over their first thing that is shown here', () => {
    const over = (...ids: string[]) =>
      headed(
        all,
        formats(all).filter((t) => ids.includes(t.head.id)),
      );
    expect([...over('a', 'b', 'c', 'd', 'e')]).toEqual([
      ['b', 'Films'],
      ['d', 'Stills'],
    ]);
    expect([...over('a', 'c', 'e')]).toEqual([
      ['c', 'Films'],
      ['e', 'Stills'],
    ]);
    expect([...over('a')]).toEqual([]);
  });
});
