/** What a browser lets one keep of a file: the way to it, and what has to be asked for to read it again. */
export interface Source {
  handle: FileSystemFileHandle;
  /** the folder that was dropped or chosen with the file in it, or the file itself */
  root: FileSystemHandle;
}

/** A file that was dropped, pasted or chosen. */
export interface Found {
  file: File;
  /** slash-separated, empty at the top */
  folder: string;
  /** as it shall be called; the file's own name where it is empty */
  name?: string;
  tags?: string[];
  /** item of which it is the next version */
  item?: string;
  /** where the browser can read it again after a reload */
  source?: Source;
}

/** A file or a folder, in whichever of its ways the browser hands it out. */
interface Entry {
  name: string;
  read?: () => Promise<Pick<Found, 'file' | 'source'>>;
  children?: () => AsyncIterable<Entry>;
}

/**
 * All files in what was dropped or pasted, folders walked to the end. Folders, also empty ones, are put
 * into folders where that is given.
 */
export async function dropped(data: DataTransfer, folders?: string[]): Promise<Found[]> {
  // Both ways are asked for at once, since the items are gone after the first wait.
  const items = [...data.items].map((item) => ({
    old: item.webkitGetAsEntry(),
    handle: item.kind === 'file' ? item.getAsFileSystemHandle?.().catch(() => null) : null,
  }));
  const found: Found[] = [];
  for (const { old, handle } of items) {
    const known = await handle;
    if (known) await walk(byHandle(known, known), '', found, folders);
    else if (old) await walk(byEntry(old), '', found, folders);
  }
  return items.some((i) => i.old) ? found : chosen(data.files); // pasted
}

/** The files of a chooser; those of a folder chooser keep their place. */
export function chosen(files: FileList): Found[] {
  return [...files]
    .filter((file) => !ignored(file.name))
    .map((file) => ({
      file,
      folder: file.webkitRelativePath ? file.webkitRelativePath.split('/').slice(0, -1).join('/') : '',
    }));
}

/**
 * Lets people choose files, one file, or a folder, so that they can be read again after a reload. Null where the browser
 * has no such chooser, or a phone has a better one.
 */
export async function choose(what: 'files' | 'file' | 'folder', folders?: string[]): Promise<Found[] | null> {
  if (!('showOpenFilePicker' in window) || window.matchMedia('(pointer: coarse)').matches) return null;
  const found: Found[] = [];
  try {
    const handles =
      what === 'folder' ? [await showDirectoryPicker()] : await showOpenFilePicker({ multiple: what === 'files' });
    for (const handle of handles) await walk(byHandle(handle, handle), '', found, folders);
  } catch (thrown) {
    if (thrown instanceof DOMException && thrown.name === 'AbortError') return []; // nothing was chosen
    return null;
  }
  return found;
}

async function walk(entry: Entry, folder: string, found: Found[], folders?: string[]) {
  if (entry.read) {
    if (!ignored(entry.name)) found.push({ ...(await entry.read()), folder });
    return;
  }
  const inner = folder ? `${folder}/${entry.name}` : entry.name;
  folders?.push(inner);
  for await (const child of entry.children!()) await walk(child, inner, found, folders);
}

function byHandle(handle: FileSystemHandle, root: FileSystemHandle): Entry {
  if (handle.kind === 'file') {
    const of = handle as FileSystemFileHandle;
    return { name: of.name, read: async () => ({ file: await of.getFile(), source: { handle: of, root } }) };
  }
  return {
    name: handle.name,
    children: async function* () {
      for await (const child of (handle as FileSystemDirectoryHandle).values()) yield byHandle(child, root);
    },
  };
}

function byEntry(entry: FileSystemEntry): Entry {
  if (entry.isFile) {
    const read = new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return { name: entry.name, read: async () => ({ file: await read }) };
  }
  return {
    name: entry.name,
    children: async function* () {
      const reader = (entry as FileSystemDirectoryEntry).createReader();
      for (;;) {
        // Browsers hand out a part at a time, until there is nothing more.
        const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
        if (!some.length) return;
        for (const child of some) yield byEntry(child);
      }
    },
  };
}

/** Files that systems leave in folders and nobody means to send. */
const ignored = (name: string) => name === '.DS_Store' || name === 'Thumbs.db' || name === 'desktop.ini';
