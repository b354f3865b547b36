// Made by `make openapi` from the descriptors in core. Do not edit.

export interface Words {
  name: string;
  word: string;
  means: string;
  offered: boolean;
}

export const doors = [
  { name: 'open', word: 'Open', means: 'Whoever has a link gets in.', offered: true },
  { name: 'passphrase', word: 'Passphrase', means: 'Tell them by another way than this letter.', offered: true },
  {
    name: 'guest_book',
    word: 'Guest book',
    means: 'Whoever leaves a name and a mail address gets in; nobody checks them.',
    offered: true,
  },
  {
    name: 'named',
    word: 'Named',
    means: 'Only the people on the waybill. On a new device a code goes to their mail.',
    offered: true,
  },
] as const satisfies readonly Words[];

export const rights = [
  { name: 'see', word: 'see', means: 'look at it', offered: true },
  { name: 'note', word: 'note', means: 'leave notes', offered: true },
  { name: 'take', word: 'take', means: 'download originals', offered: true },
  { name: 'add', word: 'add', means: 'hand files in', offered: false },
  { name: 'sign_off', word: 'sign off', means: 'sign off, or ask for changes', offered: true },
] as const satisfies readonly Words[];

export const ends = [
  { name: 'after_days', word: 'After days', means: 'So many days after sending, at the same hour.', offered: true },
  { name: 'at', word: 'Day and hour', means: 'At a day and an hour in a zone.', offered: true },
  {
    name: 'after_opening',
    word: 'Once opened',
    means: 'So many days after the first of them opened it.',
    offered: true,
  },
  {
    name: 'when_all_have',
    word: 'When all have it',
    means: 'When everybody who may download has everything, and some hours more.',
    offered: true,
  },
  {
    name: 'after_takings',
    word: 'After takings',
    means: 'When so many people have everything, and some hours more.',
    offered: true,
  },
] as const satisfies readonly Words[];

export const states = [
  { name: 'draft', word: 'Draft', means: 'Being written; nobody outside can open it.', offered: false },
  { name: 'out', word: 'Out', means: 'Sent and open.', offered: false },
  { name: 'closing', word: 'Closing', means: 'Open, with less than 48 h left.', offered: false },
  { name: 'closed', word: 'Closed', means: 'Nothing can be fetched; the bytes are still held.', offered: false },
  { name: 'cleared', word: 'Cleared', means: 'The bytes are deleted, the record is kept.', offered: false },
] as const satisfies readonly Words[];

export const whats = [
  { name: 'still', word: 'still', means: 'a photo or picture', offered: false },
  { name: 'artwork', word: 'layered artwork', means: 'artwork with its layers', offered: false },
  { name: 'film', word: 'film', means: 'moving pictures', offered: false },
  { name: 'sound', word: 'sound', means: 'music, speech, stems', offered: false },
  { name: 'document', word: 'document', means: 'pages or text', offered: false },
  { name: 'archive', word: 'archive', means: 'files packed into one', offered: false },
  { name: 'other', word: 'other', means: 'anything else', offered: false },
  { name: 'link', word: 'link', means: 'an address', offered: false },
  { name: 'swatch', word: 'swatch', means: 'a colour', offered: false },
  { name: 'sheet', word: 'sheet', means: 'a short text', offered: false },
] as const satisfies readonly Words[];

export const things = [
  { name: 'file', word: 'File', means: 'An uploaded file, with its versions.', offered: false },
  { name: 'link', word: 'Link', means: 'An address, with a picture to click.', offered: false },
  { name: 'swatch', word: 'Swatch', means: 'A colour with its values to copy.', offered: false },
  { name: 'sheet', word: 'Sheet', means: 'A short text, with a list to tick.', offered: false },
] as const satisfies readonly Words[];

export const scopes = [
  { name: 'read', word: 'Read', means: 'Look at everything and download it; change nothing.', offered: true },
  { name: 'send', word: 'Send', means: 'Also upload, pack, send and answer.', offered: true },
  {
    name: 'all',
    word: 'All',
    means:
      'Also change the account and the studio: passwords, tokens, members, webhooks; erase people and files for good.',
    offered: true,
  },
] as const satisfies readonly Words[];

export const roles = [
  {
    name: 'owner',
    word: 'Owner',
    means: 'Also invites and removes members, and says what the studio is called.',
    offered: true,
  },
  {
    name: 'member',
    word: 'Member',
    means: 'Gathers, packs, sends, follows and answers; sees everything of the studio.',
    offered: true,
  },
] as const satisfies readonly Words[];

export const typefaces = [
  { name: 'bricolage', word: 'Bricolage Grotesque', means: 'Lively, with corners.', offered: true },
  { name: 'hanken', word: 'Hanken Grotesk', means: 'Quiet and even.', offered: true },
  { name: 'red_hat', word: 'Red Hat Mono', means: 'As if typed.', offered: true },
] as const satisfies readonly Words[];

export const layouts = [
  { name: 'scroll', word: 'One below another', means: 'Each piece large, in the order that you give.', offered: true },
  {
    name: 'stage',
    word: 'One large',
    means: 'One piece at a time, the running order beside it; the next plays by itself.',
    offered: true,
  },
] as const satisfies readonly Words[];

export const notices = [
  { name: 'has_all', word: 'Has everything', means: 'Somebody has every byte of a package.', offered: true },
  { name: 'noted', word: 'Note', means: 'A recipient left a note or an answer.', offered: true },
  { name: 'named', word: 'Named', means: 'A note names you with an @.', offered: false },
  { name: 'given', word: 'Yours to do', means: 'A colleague gave you a note to do.', offered: false },
  { name: 'signed_off', word: 'Signed off', means: 'A recipient signed something off.', offered: true },
  { name: 'changes_wanted', word: 'Changes wanted', means: 'A recipient wants changes of something.', offered: true },
  {
    name: 'closing',
    word: 'Ends soon',
    means: 'A package ends within two days, and somebody has not everything.',
    offered: true,
  },
  { name: 'asked', word: 'Asked', means: 'Somebody stands before a package and asks to be let in.', offered: true },
  { name: 'letter_lost', word: 'Did not arrive', means: 'A letter came back, or was refused.', offered: true },
  { name: 'door_blocked', word: 'Wrong tries', means: 'Many wrong tries at a door.', offered: true },
  { name: 'ticked', word: 'Ticked', means: 'A recipient ticked a task on a sheet.', offered: true },
  { name: 'kept', word: 'Copy kept', means: 'Somebody took a copy into a studio of their own.', offered: true },
  { name: 'opened', word: 'Opened', means: 'Somebody opened a package for the first time.', offered: true },
] as const satisfies readonly Words[];

export const cadences = [
  { name: 'at_once', word: 'At once', means: 'A letter goes for each.', offered: true },
  { name: 'gathered', word: 'Gathered', means: 'What comes within ten minutes goes in one letter.', offered: true },
  { name: 'daily', word: 'Each morning', means: 'One letter at eight in the morning.', offered: true },
  { name: 'never', word: 'No letter', means: 'It stands in the list of notices only.', offered: true },
] as const satisfies readonly Words[];

export const signs = [
  { name: 'agree', word: 'Yes', means: 'I want that too.', offered: true },
  { name: 'love', word: 'Lovely', means: 'Keep it as it is.', offered: true },
  { name: 'unsure', word: 'Not sure', means: 'Let us talk about it.', offered: true },
  { name: 'seen', word: 'Seen', means: 'I have read it.', offered: true },
] as const satisfies readonly Words[];

export const places = [
  { name: 'client', word: 'client', means: 'Somebody you work for.', offered: false },
  { name: 'project', word: 'project', means: 'One job for a client.', offered: false },
  { name: 'folder', word: 'folder', means: 'A part of a project.', offered: false },
] as const satisfies readonly Words[];

export const verdicts = [
  { name: 'signed_off', word: 'Signed off', means: 'It is right as it is.', offered: true },
  { name: 'changes_wanted', word: 'Changes wanted', means: 'It is not right yet; the notes say what.', offered: true },
] as const satisfies readonly Words[];

export const noteFormats = [
  { name: 'otio', word: 'OpenTimelineIO', means: 'Markers on a clip, for an editing program.', offered: true },
  { name: 'edl', word: 'EDL', means: 'CMX 3600 with comments, for an editing program.', offered: true },
  { name: 'csv', word: 'CSV', means: 'A table, one line for each note.', offered: true },
  {
    name: 'annotations',
    word: 'Web Annotation',
    means: 'JSON-LD of the W3C, with everything that a note has.',
    offered: true,
  },
  { name: 'vtt', word: 'WebVTT', means: 'Subtitles that a browser shows over the film.', offered: true },
] as const satisfies readonly Words[];

// In which of them notes also come in, by the endings of their files.
export const notesIn: Record<string, string> = {
  '.otio': 'otio',
  '.csv': 'csv',
  '.jsonld': 'annotations',
};
