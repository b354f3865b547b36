import { afterEach, describe, expect, it, vi } from 'vitest';

import { choose, chosen, dropped } from './found';

const file = (name: string, path = '') => Object.assign(new File(['x'], name), { webkitRelativePath: path });
const entryOf = (name: string) => ({ isFile: true, name, file: (ok: (f: File) => void) => ok(new File(['x'], name)) });
const fileHandle = (name: string) => ({ kind: 'file', name, getFile: async () => new File(['x'], name) });
const folderHandle = (name: string, children: unknown[]) => ({
  kind: 'directory',
  name,
  values: async function* () {
    yield* children;
  },
});
const folderOf = (name: string, children: unknown[]) => ({
  isFile: false,
  name,
  createReader: () => {
    // As browsers do, a part at a time until there is nothing more.
    const parts = [children.slice(0, 1), children.slice(1), []];
    return { readEntries: (ok: (some: unknown[]) => void) => ok(parts.shift() ?? []) };
  },
});

afterEach(() => vi.unstubAllGlobals());

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

  it('can read what was dropped again, by way of the folder that was dropped', async () => {
    const root = folderHandle('Rushes', [
      folderHandle('day 1', [fileHandle('a.mov'), fileHandle('Thumbs.db')]),
      folderHandle('empty', []),
    ]);
    const refused = entryOf('b.mov');
    const data = {
      items: [
        { kind: 'file', webkitGetAsEntry: () => entryOf('unused'), getAsFileSystemHandle: async () => root },
        {
          kind: 'file',
          webkitGetAsEntry: () => refused,
          getAsFileSystemHandle: () => Promise.reject(new DOMException('a folder of the system', 'SecurityError')),
        },
      ],
    } as unknown as DataTransfer;
    const folders: string[] = [];
    const found = await dropped(data, folders);
    expect(found.map((f) => [f.folder, f.file.name, f.source?.handle.name, f.source?.root.name])).toEqual([
      ['Rushes/day 1', 'a.mov', 'a.mov', 'Rushes'],
      ['', 'b.mov', undefined, undefined],
    ]);
    expect(folders).toEqual(['Rushes', 'Rushes/day 1', 'Rushes/empty']);
  });
});

describe('choosing', () => {
  const browser = (coarse: boolean, picker?: () => Promise<unknown>) =>
    vi.stubGlobal('window', {
      matchMedia: () => ({ matches: coarse }),
      ...(picker && { showOpenFilePicker: picker, showDirectoryPicker: picker }),
    });
  const pick = (picker: () => Promise<unknown>) => {
    browser(false, picker);
    vi.stubGlobal('showOpenFilePicker', picker);
    vi.stubGlobal('showDirectoryPicker', picker);
  };

  it('is left to the usual chooser where there is no other, and on phones', async () => {
    browser(false);
    expect(await choose('files')).toBeNull();
    browser(true, async () => [fileHandle('a.mov')]);
    expect(await choose('files')).toBeNull();
  });

  it('keeps the way to each file', async () => {
    pick(async () => [fileHandle('a.mov'), fileHandle('b.mov')]);
    expect((await choose('files'))!.map((f) => f.source!.root.name)).toEqual(['a.mov', 'b.mov']);
    const empty: string[] = [];
    pick(async () => folderHandle('Rushes', [fileHandle('a.mov'), folderHandle('empty', [])]));
    expect((await choose('folder', empty))!.map((f) => f.folder)).toEqual(['Rushes']);
    expect(empty).toEqual(['Rushes', 'Rushes/empty']);
  });

  it('may end with nothing, or be refused by the browser', async () => {
    pick(() => Promise.reject(new DOMException('closed', 'AbortError')));
    expect(await choose('files')).toEqual([]);
    pick(() => Promise.reject(new DOMException('not here', 'SecurityError')));
    expect(await choose('files')).toBeNull();
  });
});
