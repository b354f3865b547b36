import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { describe, expect, it, vi } from 'vitest';
import type { Package } from '$api/client';
import type { Upload } from '$lib/uploads.svelte';
import Ends from '$lib/package/Ends.svelte';
import Rights from '$lib/ui/Rights.svelte';
import { item, parcel, recipient } from '../../tests/made';
import { studio } from '../../tests/studio';
import DoorChoice from './DoorChoice.svelte';
import Packed from './Packed.svelte';
import People from './People.svelte';
import Seal from './Seal.svelte';

const reload = async () => undefined;
const people = (...all: ReturnType<typeof recipient>[]) =>
  render(People, { parcel: parcel({ recipients: all as never }), reload });
const recipientsLine = 'POST /api/v1/packages/p1/recipients';

describe('to whom a package goes', () => {
  const reading = (text: string, more: object = {}) => ({
    text,
    name: '',
    email: '',
    person: '',
    group: '',
    meant: '',
    twice: false,
    problem: '',
    ...more,
  });
  const readLine = 'POST /api/v1/people/read';

  it('takes a pasted list apart', async () => {
    studio.answers(recipientsLine, {});
    studio.answers(readLine, [
      reading('hanne@kelpwick.example', { email: 'hanne@kelpwick.example' }),
      reading('Oda Ferris', { name: 'Oda Ferris', email: 'oda@northmoor.example' }),
      reading('HANNE@kelpwick.example', { email: 'hanne@kelpwick.example', twice: true }),
    ]);
    people();
    const box = screen.getByRole('textbox');
    await userEvent.click(box);
    await userEvent.paste('hanne@kelpwick.example\nOda Ferris <oda@northmoor.example>\nHANNE@kelpwick.example');
    await vi.waitFor(() => expect(box).toHaveValue(''));
    await vi.waitFor(() => expect(studio.sent(recipientsLine)).toHaveLength(2));
    expect(studio.sent(recipientsLine).map((b) => (b as { address: string }).address)).toEqual([
      'hanne@kelpwick.example',
      '"Oda Ferris" <oda@northmoor.example>',
    ]);
    expect(await screen.findByText('One was there already, and is there once.')).toBeVisible();
  });

  it('offers a group of the contact book, and puts on who is in it', async () => {
    studio.answers('GET /api/v1/people', { people: [] });
    studio.answers('GET /api/v1/groups', [
      { id: 'g1', name: 'Museum crew', people: 2 },
      { id: 'g2', name: 'Nobody of the museum', people: 0 },
    ]);
    studio.answers(readLine, [
      reading('Museum crew', { name: 'Hanne', email: 'hanne@kelpwick.example' }),
      reading('Museum crew', { name: 'Tomos', email: 'tomos@gethin.example' }),
    ]);
    studio.answers(recipientsLine, {});
    people();
    await userEvent.type(screen.getByRole('textbox'), 'museum');
    const offered = within(await screen.findByRole('list', { name: 'In the contact book' }));
    await userEvent.click(offered.getByRole('button', { name: 'Museum crew group, 2 people' }));
    await vi.waitFor(() => expect(studio.sent(recipientsLine)).toHaveLength(2));
    expect(studio.sent(readLine)).toEqual([{ text: 'Museum crew' }]);
    expect(screen.queryByRole('list', { name: 'In the contact book' })).toBeNull();
  });

  it('takes what it can read, and keeps with its reason what it cannot', async () => {
    studio.answers(recipientsLine, {});
    studio.answers(readLine, [
      reading('oda@', { problem: 'That is no mail address: oda@' }),
      reading('tomos@gethin.example', { email: 'tomos@gethin.example' }),
      reading('hanne@kelpwcik.example', { email: 'hanne@kelpwcik.example', meant: 'hanne@kelpwick.example' }),
    ]);
    people();
    await userEvent.click(screen.getByRole('textbox'));
    await userEvent.paste('oda@, tomos@gethin.example, hanne@kelpwcik.example');
    await userEvent.keyboard('{Enter}');
    expect(await screen.findByText(/That is no mail address: oda@/)).toBeVisible();
    expect(studio.sent(recipientsLine)).toEqual([{ address: 'tomos@gethin.example' }]);
    await userEvent.click(screen.getByRole('button', { name: /hanne@kelpwick\.example/ }));
    await vi.waitFor(() => expect(studio.sent(recipientsLine)).toHaveLength(2));
    expect(studio.sent(recipientsLine)[1]).toEqual({ address: 'hanne@kelpwick.example' });
  });

  it('sets and takes rights one by one', async () => {
    studio.answers('PATCH /api/v1/recipients/*', {});
    people(recipient('Hanne Orrick'));
    const rights = screen.getByRole('group', { name: 'What Hanne Orrick may do' });
    expect(within(rights).getByRole('button', { name: 'take' })).toHaveAttribute('aria-pressed', 'true');
    await userEvent.click(within(rights).getByRole('button', { name: 'take' }));
    expect(studio.asked[0]!.body).toEqual({ rights: ['see', 'note'] });
  });

  it('makes a link for anyone only once, and not behind a named door', () => {
    const { unmount } = people(recipient('Anyone', { anyone: true }));
    expect(screen.queryByRole('button', { name: /link for anyone/ })).toBeNull();
    unmount();
    render(People, { parcel: parcel({ door: 'named' }), reload });
    expect(screen.queryByRole('button', { name: /link for anyone/ })).toBeNull();
  });

  it('says the end on the clock of whoever lives elsewhere', () => {
    const there = { ends: 'New York, Wed 9 Dec, 15:13', zone: 'America/New_York' };
    people(recipient('Tomos Gethin', there), recipient('Hanne Orrick', { ends: 'London, Wed 9 Dec, 20:13' }));
    expect(screen.getByText('ends New York, Wed 9 Dec, 15:13')).toBeVisible();
    expect(screen.queryByText(/London/)).toBeNull();
  });
});

describe('rights', () => {
  const press = (verb: string) => userEvent.click(screen.getByRole('button', { name: verb }));
  it('are pressed quicker than they are kept: each press is about what the one before made', async () => {
    const asked: string[][] = [];
    const answer: (() => void)[] = [];
    const change = (rights: string[]) => new Promise<void>((done) => (asked.push(rights), answer.push(done)));
    render(Rights, { rights: ['see', 'take'], who: 'Hanne', change });
    await press('take');
    expect(screen.getByRole('button', { name: 'take' })).toHaveAttribute('aria-pressed', 'false');
    await press('note');
    await press('take');
    expect(asked).toEqual([['see']]);
    answer[0]!();
    await vi.waitFor(() => expect(asked).toEqual([['see'], ['see', 'note', 'take']]));
    answer[1]!();
    await vi.waitFor(() =>
      expect(screen.getByRole('button', { name: 'note' })).toHaveAttribute('aria-pressed', 'false'),
    );
  });
});

describe('rights that cannot be changed here', () => {
  it('are said to whoever cannot see a line through them', () => {
    render(Rights, { rights: ['see'], who: 'Hanne' });
    expect(screen.queryAllByRole('button')).toHaveLength(0);
    expect(screen.getByRole('group')).toHaveTextContent('seenote not allowedtake not allowed');
  });
});

describe('when and how', () => {
  const reading = (local: string, says: string, clocks: object[] = []) => ({ local, zone: 'Europe/London', at: '', says, wall: says.replace(/, [^,]*$/, ''), left: '7 days', twice: '', clocks }); // prettier-ignore
  it('ends after days, and says when that would be', async () => {
    studio.answers('GET /api/v1/moments', reading('2026-12-10T14:30', 'Thu 10 Dec 2026, 14:30, London'));
    const change = vi.fn();
    const rule = { kind: 'after_days', days: 14, zone: 'Europe/London' } as never;
    render(Ends, { rule, change });
    expect(screen.getByRole('radio', { name: '14 days' })).toBeChecked();
    expect(await screen.findByText('If it went now: Thu 10 Dec 2026, 14:30, London.')).toBeVisible();
    expect(studio.asked.at(-1)!.query).toMatchObject({ days: '14', zone: 'Europe/London' });
    await userEvent.click(screen.getByRole('radio', { name: '3 days' }));
    expect(change).toHaveBeenLastCalledWith({ kind: 'after_days', days: 3, zone: 'Europe/London' });
  });

  it('ends at a day and an hour as somebody types it, on every clock', async () => {
    const there = [{ zone: 'America/New_York', says: 'Fri 4 Dec 2026, 13:00, New York' }];
    studio.answers('GET /api/v1/moments', ({ query }: { query: Record<string, string> }) =>
      query.text === 'fri 18'
        ? reading('2026-12-04T18:00', 'Fri 4 Dec 2026, 18:00, London', there)
        : reading('2026-12-03T18:00', 'Thu 3 Dec 2026, 18:00, London', there),
    );
    const change = vi.fn();
    const people = [
      { name: 'Ayla', zone: 'America/New_York' },
      { name: 'Hanne', zone: 'Europe/London' },
    ];
    const { rerender } = render(Ends, { rule: { kind: 'after_days', days: 7, zone: 'Europe/London' } as never, change, people }); // prettier-ignore
    await userEvent.click(screen.getByRole('radio', { name: 'Day and hour' }));
    await vi.waitFor(() => expect(change).toHaveBeenLastCalledWith({ kind: 'at', local: '2026-12-03T18:00', zone: 'Europe/London' })); // prettier-ignore
    await rerender({ rule: { kind: 'at', local: '2026-12-03T18:00', zone: 'Europe/London' } as never, change, people });
    const field = screen.getByRole('textbox', { name: 'Day and hour of the end' });
    await vi.waitFor(() => expect(field).toHaveValue('Thu 3 Dec 2026, 18:00'));
    expect(screen.getByText('Fri 4 Dec 2026, 13:00, New York')).toBeVisible();
    expect(screen.queryByText(/^Hanne/)).toBeNull();
    await userEvent.clear(field);
    await userEvent.type(field, 'fri 18{Enter}');
    await vi.waitFor(() => expect(change).toHaveBeenLastCalledWith({ kind: 'at', local: '2026-12-04T18:00', zone: 'Europe/London' })); // prettier-ignore
  });

  it('says what to write instead, and sets nothing', async () => {
    studio.answers('GET /api/v1/moments', reading('2026-12-03T18:00', 'Thu 3 Dec 2026, 18:00, London'));
    const change = vi.fn();
    render(Ends, { rule: { kind: 'at', local: '2026-12-03T18:00', zone: 'Europe/London' } as never, change });
    const field = screen.getByRole('textbox', { name: 'Day and hour of the end' });
    await vi.waitFor(() => expect(field).toHaveValue('Thu 3 Dec 2026, 18:00'));
    studio.refuses('GET /api/v1/moments', '3/12 can be read in two ways.', 422);
    await userEvent.clear(field);
    await userEvent.type(field, '3/12{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('two ways');
    expect(field).toHaveValue('3/12');
    expect(change).not.toHaveBeenCalled();
  });

  it('says how long a passphrase stands while it is typed, and sets one that is good enough', async () => {
    const change = vi.fn(reload);
    const line = 'POST /api/v1/packages/p1/passphrase';
    studio.answers(line, { grade: 'refused', says: 'A passphrase has at least 8 characters.' });
    render(DoorChoice, { parcel: 'p1', door: 'passphrase', hasPassphrase: false, change });
    const phrase = screen.getByRole('textbox', { name: 'Passphrase' });
    expect(screen.getByRole('button', { name: 'Set' })).toBeDisabled();
    await userEvent.type(phrase, 'abc');
    await vi.waitFor(() => expect(phrase).toHaveAccessibleDescription('A passphrase has at least 8 characters.'));
    expect(screen.getByRole('button', { name: 'Set' })).toBeDisabled();
    studio.answers(line, { grade: 'sound', says: 'Sound: about 40 years.' });
    await userEvent.type(phrase, ' slow glaze');
    await vi.waitFor(() => expect(phrase).toHaveAccessibleDescription('Sound: about 40 years.'));
    expect(studio.sent(line).at(-1)).toEqual({ passphrase: 'abc slow glaze' });
    await userEvent.type(phrase, '{Enter}');
    expect(change).toHaveBeenCalledWith({ passphrase: 'abc slow glaze' });
    await vi.waitFor(() => expect(phrase).toHaveValue(''));
  });

  it('says what each door means', async () => {
    const { rerender } = render(DoorChoice, {
      parcel: 'p1',
      door: 'open',
      hasPassphrase: false,
      change: vi.fn(reload),
    });
    expect(screen.getByText('Whoever has a link gets in.')).toBeVisible();
    await rerender({ door: 'named' });
    expect(screen.getByText(/a code goes to their mail/)).toBeVisible();
  });
});

describe('what is in a draft', () => {
  const upload = (name: string, more: Partial<Upload> = {}) =>
    ({ id: 1, name, file: new File(['0123456789'], name), sent: 5, state: 'running', rate: 0, problem: '', ...more }) as Upload; // prettier-ignore
  const show = (more: object = {}) => {
    const acts = { remove: vi.fn(), choose: vi.fn(), more: vi.fn() };
    render(Packed, { parcel: parcel(), mine: [], elsewhere: [], reload, ...acts, ...more });
    return acts;
  };

  it('has formats below what stands for them, and takes one out', async () => {
    const items = [item('shot.jpg'), item('cut.mov'), item('shot.heic', { lead: 'shot.jpg' })];
    const { remove } = show({ parcel: parcel({ items }) });
    const names = screen.getAllByRole('button', { name: /Take out/ }).map((b) => b.getAttribute('aria-label'));
    expect(names).toEqual(['Take out shot.jpg', 'Take out shot.heic', 'Take out cut.mov']);
    expect(screen.getByText(/another format/)).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Take out shot.heic' }));
    expect(remove).toHaveBeenCalledWith('shot.heic');
  });

  it('is put in order by its menu and by keys, with headings', async () => {
    const orderLine = 'PUT /api/v1/packages/p1/order';
    studio.answers(orderLine);
    studio.answers('PUT /api/v1/items/b.mov/heading');
    show({ parcel: parcel({ items: [item('a.mov'), item('b.mov'), item('c.mov')] }) });
    await userEvent.click(screen.getByRole('button', { name: 'More about c.mov' }));
    await userEvent.click(screen.getByRole('button', { name: /^To the beginning/, hidden: true }));
    screen.getByRole('button', { name: 'More about a.mov' }).focus();
    await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}');
    await vi.waitFor(() =>
      expect(studio.sent(orderLine)).toEqual([
        { moved: ['c.mov'], after: '' },
        { moved: ['a.mov'], after: 'b.mov' },
      ]),
    );
    await userEvent.click(screen.getByRole('button', { name: 'More about b.mov' }));
    await userEvent.click(screen.getAllByRole('button', { name: /^A heading above it/, hidden: true })[1]!);
    await userEvent.type(screen.getByRole('textbox', { name: 'Heading above b.mov' }), 'Films{Enter}');
    await vi.waitFor(() => expect(studio.sent('PUT /api/v1/items/b.mov/heading')).toEqual([{ heading: 'Films' }]));
  });

  it('shows what is on its way, how far and why it stopped', () => {
    const stopped = upload('b.mov', { id: 2, state: 'failed', problem: 'There is no room for that.' });
    show({ mine: [upload('a.mov'), stopped] });
    expect(screen.getByRole('progressbar', { name: 'Upload of a.mov' })).toHaveAttribute('aria-valuenow', '50');
    expect(screen.getByText('There is no room for that.')).toBeVisible();
    expect(screen.getByRole('button', { name: 'Go on with b.mov' })).toBeVisible();
    expect(screen.getByRole('button', { name: 'Pause a.mov' })).toBeVisible();
  });

  it('asks again for files whose upload began elsewhere', async () => {
    const { choose } = show({ elsewhere: [{ id: 'u1', name: 'cut.mov', size: 10 }] });
    await userEvent.click(screen.getByRole('button', { name: 'Choose again cut.mov' }));
    expect(choose).toHaveBeenCalled();
  });
});

describe('the seal', () => {
  const draft: Partial<Package> = {
    recipients: [recipient('Hanne Orrick')] as never,
    sentence: [{ text: 'Send ', strong: false }, { text: '5 items', strong: true }, { text: ' to Hanne.', strong: false }] as never, // prettier-ignore
    warnings: [{ code: 'no_letter', text: 'There is no cover letter.', blocks: false }] as never,
  };
  const goingLine = 'PUT /api/v1/packages/p1/going';
  const seal = (more: Partial<Package> = {}, coming = 0) => {
    studio.answers('GET /api/v1/studio', { members: [] });
    const before = vi.fn(async () => undefined);
    render(Seal, { parcel: parcel({ ...draft, ...more }), problem: '', coming, before, reload });
    return before;
  };

  it('says in one sentence what happens, what speaks against it, and goes once it was saved', async () => {
    studio.answers(goingLine, parcel({ ...draft, going_at: new Date(Date.now() + 10_000).toISOString() }));
    const before = seal();
    expect(screen.getByText(/Send/, { selector: '.sentence' })).toHaveTextContent('Send 5 items to Hanne.');
    expect(screen.getByText('There is no cover letter.')).toBeVisible();
    expect(screen.getByRole('link', { name: 'See it as they do' })).toHaveAttribute('href', '/packages/p1/as');
    await userEvent.click(screen.getByRole('button', { name: /Send/ }));
    expect(before).toHaveBeenCalled();
    expect(await screen.findByText(/Goes in \d+ s/)).toBeVisible();
    expect(studio.sent(goingLine)).toEqual([{ in: 10, more: false }]);
  });

  it('takes it back by Escape while nobody has been written to', async () => {
    studio.answers('DELETE /api/v1/packages/p1/going', parcel(draft));
    seal({ going_at: new Date(Date.now() + 9_000).toISOString() });
    await userEvent.keyboard('{Escape}');
    expect(await screen.findByRole('button', { name: /Send/ })).toBeEnabled();
  });

  it('goes by itself when the uploads are there, and says so', () => {
    seal({ going_at: new Date(Date.now() - 1000).toISOString() }, 2);
    expect(screen.getByRole('status')).toHaveTextContent('Goes by itself once 2 files are here.');
    expect(screen.getByRole('button', { name: 'Keep it as a draft' })).toBeVisible();
  });

  it('does not go without files that no browser brings any more, until somebody says so', async () => {
    studio.answers(goingLine, parcel({ ...draft, going_at: new Date().toISOString() }));
    seal({ going_at: new Date(Date.now() - 1000).toISOString(), going_waits: true });
    await userEvent.click(screen.getByRole('button', { name: 'Send without them' }));
    expect(studio.sent(goingLine)).toEqual([{ in: 10, more: false }]);
  });

  it('holds back what cannot go, and mends it by one click', async () => {
    const warning = { code: 'no_takers', text: 'Nobody may download.', blocks: true, mend: 'Let all download' };
    studio.answers('POST /api/v1/packages/p1/mend', parcel({ ...draft, warnings: [] }));
    seal({ warnings: [warning] as never });
    expect(screen.getByRole('button', { name: /Send/ })).toBeDisabled();
    await userEvent.click(screen.getByRole('button', { name: 'Let all download' }));
    expect(studio.sent('POST /api/v1/packages/p1/mend')).toEqual([{ code: 'no_takers' }]);
    expect(await screen.findByRole('button', { name: /Send/ })).toBeEnabled();
  });
});
