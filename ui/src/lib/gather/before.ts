import type { Offer } from '$api/client';
import type { Found } from '$lib/found';
import { kinds } from './where';

/** A file that is about to be uploaded, and what is wanted of it. */
export interface Line extends Found {
  key: number;
  named: string;
  /** tags of its own, with commas between */
  own: string;
  as: 'new' | 'version' | 'rendition' | 'picture' | 'out';
  offer?: Offer | undefined;
}

// What a file is, as far as its name and the browser's type tell before its content is read. The server decides
// by the content once it is there.

const byEnding: Record<string, keyof typeof kinds> = {};
const endings: [keyof typeof kinds, string][] = [
  ['artwork', 'psd psb ai eps svg indd xcf kra afdesign'],
  ['still', 'jpg jpeg png gif webp heic heif avif tif tiff bmp exr dpx dng cr2 cr3 nef arw raf orf rw2 jxl jp2'],
  ['film', 'mov mp4 m4v mxf mkv webm avi mts m2ts mpg mpeg 3gp'],
  ['sound', 'wav aif aiff flac mp3 m4a aac ogg opus caf w64 bwf'],
  ['document', 'pdf doc docx odt rtf txt md csv xls xlsx ppt pptx srt vtt edl xml json html css js ts'],
  ['archive', 'zip rar 7z tar gz tgz bz2 xz zst'],
];
for (const [kind, list] of endings) for (const e of list.split(' ')) byEnding[e] = kind;

export function kindOf(name: string, type = ''): string {
  const ending = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  const kind = byEnding[ending];
  if (kind) return kinds[kind];
  if (type.startsWith('image/')) return kinds.still;
  if (type.startsWith('video/')) return kinds.film;
  if (type.startsWith('audio/')) return kinds.sound;
  return kinds.other;
}

const reserved = /^(con|prn|aux|nul|com[0-9]|lpt[0-9])(\.|$)/i;

/** What looks wrong with a file before it is uploaded; empty for nothing. */
export function trouble(file: File, name: string, all: { file: File; folder: string; named: string }[]): string {
  if (file.size === 0) return 'It is empty, 0 bytes.';
  if (!name.trim()) return 'It needs a name; its own is used.';
  if (/[<>:"\\|?*]/.test(name) || reserved.test(name) || /[. ]$/.test(name))
    return 'This name does not work on every system.';
  const twins = all.filter(
    (o) =>
      o.file !== file &&
      o.file.size === file.size &&
      o.named.normalize('NFC').toLowerCase() === name.normalize('NFC').toLowerCase(),
  );
  if (twins.length) return 'It is doubled: the same name and size more than once.';
  return '';
}
