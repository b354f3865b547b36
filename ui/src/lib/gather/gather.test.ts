import { describe, expect, it } from 'vitest';
import { kindOf, trouble } from './before';
import { address, whereOf } from './where';

const file = (name: string, size: number) => new File(['x'.repeat(size)], name);
const line = (f: File, named = f.name, folder = '') => ({ file: f, folder, named });

describe('before an upload starts', () => {
  it('says what each file is by its name', () => {
    expect(['a.MOV', 'b.wav', 'c.heic', 'd.psd', 'e.pdf', 'f.zip', 'g.ttf', 'no ending'].map((n) => kindOf(n))).toEqual(
      ['film', 'sound', 'still', 'layered artwork', 'document', 'archive', 'other', 'other'],
    );
    expect(kindOf('clip', 'video/mp4')).toBe('film');
  });

  // Source: names that Windows reserves, and Unicode UAX #15 (é composed and decomposed).
  it('shows what looks wrong', () => {
    const good = file('cut.mov', 5);
    expect(trouble(good, 'cut.mov', [line(good)])).toBe('');
    expect(trouble(file('e.mov', 0), 'e.mov', [])).toContain('empty');
    for (const name of ['aux.txt', 'con', 'a?.mov', 'b.', 'c:d'])
      expect(trouble(good, name, [])).toContain('every system');
    const twin = file('Cafe\u0301.mov', 5);
    expect(trouble(good, 'Caf\u00e9.mov', [line(good), line(twin)])).toContain('doubled');
    expect(trouble(good, 'Caf\u00e9.mov', [line(good), line(file('Caf\u00e9.mov', 6))])).toBe('');
  });
});

describe('the address of a place', () => {
  it('is read back as it was written', () => {
    const where = {
      place: 'abc',
      view: 'below',
      find: 'wav & 48k',
      what: 'sound',
      tag: 'for review',
      since: '7',
    } as const;
    const url = new URL(address(where, 'thing'), 'https://studio.example');
    expect(whereOf(url)).toEqual(where);
    expect(url.searchParams.get('look')).toBe('thing');
    expect(address({})).toBe('/gather');
    expect(whereOf(new URL('https://studio.example/gather')).view).toBe('inside');
  });
});
