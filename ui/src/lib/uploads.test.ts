import { describe, expect, it, vi } from 'vitest';

vi.mock('tus-js-client', () => ({ Upload: class {} }));
vi.stubGlobal('$state', (value: unknown) => value);

import { chosen, dropped } from './uploads.svelte';

const file = (name: string, path = '') => Object.assign(new File(['x'], name), { webkitRelativePath: path });
const entryOf = (name: string) => ({ isFile: true, name, file: (ok: (f: File) => void) => ok(new File(['x'], name)) });
const folderOf = (name: string, children: unknown[]) => ({
  isFile: false,
  name,
  createReader: () => {
    // As browsers do, a part at a time until there is nothing more.
    const parts = [children.slice(0, 1), children.slice(1), []];
    return { readEntries: (ok: (some: unknown[]) => void) => ok(parts.shift() ?? []) };
  },
});

describe('what people drop and choose', () => {
  it('keeps the place of files in a chosen folder', () => {
    const list = [
      file('a.jpg', 'Stills/a.jpg'),
      file('b.jpg', 'Stills/raw/b.jpg'),
      file('c.mov'),
    ] as unknown as FileList;
    expect(chosen(list).map((f) => [f.folder, f.file.name])).toEqual([
      ['Stills', 'a.jpg'],
      ['Stills/raw', 'b.jpg'],
      ['', 'c.mov'],
    ]);
  });

  it('leaves out what systems put into folders by themselves', () => {
    const list = [file('.DS_Store', 'Stills/.DS_Store'), file('Thumbs.db'), file('a.jpg')] as unknown as FileList;
    expect(chosen(list).map((f) => f.file.name)).toEqual(['a.jpg']);
  });

  it('walks dropped folders to the end', async () => {
    const tree = folderOf('Stills', [
      entryOf('a.jpg'),
      folderOf('raw', [entryOf('b.dng'), entryOf('.DS_Store'), entryOf('c.dng')]),
    ]);
    const data = {
      items: [tree, entryOf('cut.mov')].map((entry) => ({ webkitGetAsEntry: () => entry })),
    } as unknown as DataTransfer;
    const found = await dropped(data);
    expect(found.map((f) => `${f.folder}/${f.file.name}`)).toEqual([
      'Stills/a.jpg',
      'Stills/raw/b.dng',
      'Stills/raw/c.dng',
      '/cut.mov',
    ]);
  });
});
