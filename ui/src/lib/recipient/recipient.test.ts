import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { describe, expect, it, vi } from 'vitest';
import { guestItem, guestPage, note } from '../../tests/made';
import { studio } from '../../tests/studio';
import Door from './Door.svelte';
import Inside from './Inside.svelte';
import Notes from './Notes.svelte';
import Shut from './Shut.svelte';
import Thing from './Thing.svelte';
import { gather } from '$lib/gather/gather.svelte';
import Copy from './Copy.svelte';
import Pass from './Pass.svelte';

const reload = async () => undefined;
const inside = (page: ReturnType<typeof guestPage>, notes: ReturnType<typeof note>[] = []) =>
  render(Inside, { guest: page, notes, link: 'secret', reload, more: vi.fn() });
const downloads = () => screen.getAllByRole('link').map((a) => a.getAttribute('href'));

describe('the package as its recipient sees it', () => {
  const three = [
    guestItem('shot.jpg'),
    guestItem('shot.heic', { lead: 'shot.jpg' }),
    guestItem('guide.wav', { what: 'sound', media_state: 'none' }),
  ];

  it('has one obvious button, which says what it weighs', () => {
    inside(guestPage(three));
    const everything = screen.getByRole('link', { name: /Download everything/ });
    expect(everything).toHaveAttribute('href', '/r/secret/zip/Lifeboat.zip?as=7');
    expect(everything).toHaveTextContent('89 MB');
  });

  it('says what the browser saves once a download has begun', async () => {
    inside(guestPage(three));
    const link = screen.getByRole('link', { name: 'Download guide.wav' });
    link.addEventListener('click', (event) => event.preventDefault());
    await userEvent.click(link);
    expect(screen.getByText(/Your browser saves it as guide.wav/)).toBeVisible();
  });

  it('shows formats as one thing, each and both to be taken', () => {
    inside(guestPage(three));
    const formats = screen.getByRole('list', { name: 'Other formats of shot.jpg' });
    expect(within(formats).getByText('HEIC')).toBeVisible();
    expect(within(formats).getByRole('link', { name: 'Download shot.heic' })).toBeVisible();
    expect(within(formats).getByRole('link', { name: 'Both formats as one ZIP' })).toHaveAttribute(
      'href',
      '/r/secret/zip/Lifeboat.zip?as=7&only=shot.jpg,shot.heic',
    );
  });

  it('puts the format that is looked at first', async () => {
    inside(guestPage(three));
    await userEvent.click(screen.getByRole('button', { name: 'also as HEIC: show shot.heic' }));
    expect(screen.getByRole('list', { name: 'Other formats of shot.heic' })).toHaveTextContent('JPG');
  });

  it('takes some as one ZIP', async () => {
    inside(guestPage(three));
    await userEvent.click(screen.getByRole('button', { name: 'Choose some' }));
    await userEvent.click(await screen.findByRole('checkbox', { name: 'Choose guide.wav' }));
    await userEvent.click(screen.getByRole('checkbox', { name: 'Choose shot.heic' }));
    expect(screen.getByRole('link', { name: 'Download these 2 as one ZIP' })).toHaveAttribute(
      'href',
      '/r/secret/zip/Lifeboat.zip?as=7&only=guide.wav,shot.heic',
    );
    await userEvent.click(screen.getByRole('checkbox', { name: 'Choose guide.wav' }));
    expect(screen.getByRole('link', { name: 'Download this one as one ZIP' })).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Choose none' }));
    expect(screen.queryByRole('checkbox')).toBeNull();
  });

  it('says what they have already, and how much of it', () => {
    inside(
      guestPage([
        guestItem('a.mov', { have: 'all' }),
        guestItem('b.mov', { have: 'part', have_saying: '33 MB of 56 MB' }),
      ]),
    );
    expect(screen.getByRole('link', { name: '✓ you have it' })).toHaveAttribute('href', '/r/secret/take/a.mov/a.mov');
    expect(screen.getByText('33 MB of 56 MB')).toBeVisible();
  });

  it('offers nothing to take to whoever may only look, and says why', () => {
    inside(guestPage([guestItem('a.jpg', { take: '' })], { rights: ['see'], archive: '' }));
    expect(screen.queryAllByRole('link')).toHaveLength(0);
    expect(screen.getByText(/Marit Oyelaran has not opened it for download/)).toBeVisible();
    expect(screen.queryByRole('textbox')).toBeNull();
  });

  it('shows nothing to whoever may only take', () => {
    inside(guestPage([guestItem('a.jpg'), guestItem('b.jpg')], { rights: ['take'] }));
    expect(downloads()).toContain('/r/secret/take/a.jpg/a.jpg');
    expect(screen.getByRole('button', { name: 'Show b.jpg' })).toBeDisabled();
    expect(screen.queryByRole('img')).toBeNull();
  });

  it('tells the studio what was looked at, but not the first that merely stands there', async () => {
    studio.answers('POST /api/v1/r/secret/items/*/look');
    inside(guestPage([guestItem('a.pdf', { what: 'document', pages: 2 }), guestItem('b.pdf', { pages: 1 })]));
    expect(studio.asked).toHaveLength(0);
    await userEvent.click(screen.getByRole('button', { name: 'Show b.pdf' }));
    expect(studio.asked.map((a) => a.line)).toEqual(['POST /api/v1/r/secret/items/b.pdf/look']);
  });

  it('turns the pages of a document', async () => {
    inside(guestPage([guestItem('a.pdf', { what: 'document', pages: 2 })]));
    expect(screen.getByRole('button', { name: 'Page before' })).toBeDisabled();
    await userEvent.click(screen.getByRole('button', { name: 'Next page' }));
    expect(screen.getByRole('img', { name: 'a.pdf, page 2' })).toHaveAttribute('src', '/look/a.pdf/page-2');
    expect(screen.getByRole('button', { name: 'Next page' })).toBeDisabled();
  });

  it('says so where there is no preview, and that the original is whole', () => {
    inside(guestPage([guestItem('a.mov', { what: 'film', media_state: 'failed' })]));
    expect(screen.getByText(/could not be read here/)).toHaveTextContent('The original is whole');
  });
});

describe('notes of a recipient', () => {
  const film = guestItem('cut.mov', { what: 'film' });
  const player = () => ({ pause: vi.fn(), timecode: () => '10:00:41:12', place: () => 41_480_000, seekTo: vi.fn() });
  const show = (notes: ReturnType<typeof note>[], p = player(), again = vi.fn(reload)) => {
    render(Notes, { item: film, notes, link: 'secret', mayNote: true, player: p as never, reload: again });
    return { p, again };
  };

  it('are left at the moment at which the film stands', async () => {
    studio.answers('POST /api/v1/r/secret/items/cut.mov/notes', {});
    const { p, again } = show([]);
    const box = screen.getByRole('textbox', { name: 'Note at this moment' });
    await userEvent.click(box);
    expect(p.pause).toHaveBeenCalled();
    expect(screen.getByText('10:00:41:12')).toBeVisible();
    await userEvent.type(box, 'Too loud.{Enter}');
    expect(studio.sent('POST /api/v1/r/secret/items/cut.mov/notes')).toEqual([
      { anchor: { when: 'moment', at_us: 41_480_000 }, text: 'Too loud.' },
    ]);
    expect(again).toHaveBeenCalled();
    expect(box).toHaveValue('');
  });

  it('keep what was typed when they are refused', async () => {
    studio.refuses('POST /api/v1/r/secret/items/cut.mov/notes', 'This package has ended.');
    show([]);
    const box = screen.getByRole('textbox', { name: 'Note at this moment' });
    await userEvent.type(box, 'Too loud.{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('This package has ended.');
    expect(box).toHaveValue('Too loud.');
  });

  it('stand in the order of the piece and lead to their place', async () => {
    const at = (id: string, us: number, label: string) =>
      note(id, 'cut.mov', { anchor: { when: 'moment', at_us: us }, place: { label } } as never);
    const { p } = show([at('b', 9_000_000, '10:00:09:00'), at('a', 1_000_000, '10:00:01:00'), note('c', 'other.mov')]);
    expect(screen.queryByRole('article')).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: '2 notes, 2 open' }));
    expect(screen.getAllByRole('article').map((a) => a.textContent)).toEqual([
      expect.stringContaining('note a'),
      expect.stringContaining('note b'),
    ]);
    await userEvent.click(screen.getByRole('button', { name: '10:00:09:00' }));
    expect(p.seekTo).toHaveBeenCalledWith(9_000_000);
  });

  it('are answered where one has a part in them', async () => {
    studio.answers('POST /api/v1/r/secret/notes/a/answers', {});
    show([note('a', 'cut.mov', { mine: true }), note('b', 'cut.mov')]);
    await userEvent.click(screen.getByRole('button', { name: '2 notes, 2 open' }));
    expect(screen.queryByRole('textbox', { name: 'Answer b' })).toBeNull();
    await userEvent.type(screen.getByRole('textbox', { name: 'Answer P. Anstey' }), 'Yes, please.{Enter}');
    expect(studio.sent('POST /api/v1/r/secret/notes/a/answers')).toEqual([{ text: 'Yes, please.' }]);
  });
});

describe('a shut door', () => {
  it('asks for the passphrase and says when it is wrong', async () => {
    const entered = vi.fn(reload);
    render(Door, { guest: guestPage([], { standing: 'need_passphrase' }), link: 'secret', entered });
    studio.refuses('POST /api/v1/r/secret/enter', 'That is not the passphrase.', 403);
    const field = screen.getByLabelText('Passphrase');
    await userEvent.type(field, 'slow glaze{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('That is not the passphrase.');
    expect(entered).not.toHaveBeenCalled();
    studio.answers('POST /api/v1/r/secret/enter');
    await userEvent.type(field, ' harbour lamp{Enter}');
    await vi.waitFor(() => expect(entered).toHaveBeenCalled());
    expect(studio.sent('POST /api/v1/r/secret/enter').at(-1)).toEqual({ answer: 'slow glaze harbour lamp' });
  });

  it('sends a code first, then asks for it', async () => {
    studio.answers('POST /api/v1/r/secret/code');
    render(Door, { guest: guestPage([], { standing: 'need_code' }), link: 'secret', entered: reload });
    await userEvent.click(screen.getByRole('button', { name: 'Send me a code' }));
    expect(await screen.findByLabelText('Six digits from the letter')).toHaveAttribute('inputmode', 'numeric');
    expect(screen.getByRole('button', { name: 'Send another' })).toBeVisible();
  });

  it('lets whoever stands before an ended package ask for it', async () => {
    studio.answers('POST /api/v1/r/secret/ask');
    const guest = guestPage([], { standing: 'ended', may_ask: true, ends_at: '2026-11-20T10:00:00Z' });
    render(Shut, { title: 'Lifeboat, cut 2', say: 'This package has ended.', guest, link: 'secret' });
    await userEvent.type(screen.getByRole('textbox'), 'One more day?');
    await userEvent.click(screen.getByRole('button'));
    expect(studio.sent('POST /api/v1/r/secret/ask')).toEqual([{ message: 'One more day?' }]);
    expect(await screen.findByText(/Marit Oyelaran has been told/)).toBeVisible();
  });

  it('asks nothing of a link that leads nowhere', () => {
    render(Shut, { title: '', say: 'This link leads nowhere.' });
    expect(screen.getByRole('heading')).toHaveTextContent('This package is closed');
    expect(screen.queryByRole('textbox')).toBeNull();
  });
});

describe('the list of a sheet', () => {
  const html =
    '<ul><li><input disabled="" type="checkbox" data-task="t1" aria-label="Send the logo"> Send the logo</li>' +
    '<li><input checked="" disabled="" type="checkbox" data-task="t2" aria-label="Agree the title"> Agree the title</li></ul>';
  const tasks = [
    { key: 't1', text: 'Send the logo' },
    { key: 't2', text: 'Agree the title' },
  ];
  const line = '/api/v1/r/secret/items/s1/ticks';
  const show = () =>
    render(Thing, { item: guestItem('s1', { what: 'sheet', html, tasks }), link: 'secret', followed: vi.fn() });

  it('is ticked by its recipient, who sees what is left', async () => {
    studio.answers(`GET ${line}`, ['t2']);
    studio.answers(`PUT ${line}`, ['t2', 't1']);
    show();
    const logo = screen.getByRole('checkbox', { name: 'Send the logo' });
    expect(await screen.findByText(/1 of 2 still to do/)).toBeVisible();
    expect(logo).toBeEnabled();
    await userEvent.click(logo);
    expect(await screen.findByText('All of it is done.')).toBeVisible();
    expect(studio.sent(`PUT ${line}`)).toEqual([{ task: 't1', done: true }]);
    expect(screen.getByRole('checkbox', { name: 'Agree the title' })).toBeChecked();
  });

  it('takes a tick back that was not kept, and says why', async () => {
    studio.answers(`GET ${line}`, []);
    studio.refuses(`PUT ${line}`, 'This is not on the list any more.');
    show();
    const logo = screen.getByRole('checkbox', { name: 'Send the logo' });
    await vi.waitFor(() => expect(logo).toBeEnabled());
    await userEvent.click(logo);
    expect(await screen.findByRole('alert')).toHaveTextContent('not on the list any more');
    expect(logo).not.toBeChecked();
  });
});

describe('a file for an app of the phone', () => {
  const item = guestItem('guide.wav', { take: '/r/secret/take/guide.wav/guide.wav', mime: 'audio/wav', size: 5 });
  const passing = (share: (data: ShareData) => Promise<void>) => {
    vi.stubGlobal('navigator', Object.assign(Object.create(navigator) as Navigator, { share }));
    render(Pass, { item, taken: vi.fn() });
  };

  it('is fetched whole first, and then goes to the share sheet', async () => {
    vi.stubGlobal('fetch', async () => new Response('sound'));
    const share = vi.fn(async (data: ShareData) => void data);
    passing(share);
    await userEvent.click(screen.getByRole('button', { name: 'Fetch guide.wav for an app' }));
    await userEvent.click(await screen.findByRole('button', { name: 'Pass guide.wav to an app' }));
    const [file] = share.mock.calls[0]![0].files!;
    expect([file!.name, file!.type, file!.size]).toEqual(['guide.wav', 'audio/wav', 5]);
    vi.unstubAllGlobals();
  });

  it('says so where it broke off', async () => {
    vi.stubGlobal('fetch', async () => new Response('', { status: 410 }));
    passing(async () => undefined);
    await userEvent.click(screen.getByRole('button', { name: 'Fetch guide.wav for an app' }));
    expect(await screen.findByRole('alert')).toHaveTextContent('It broke off');
    vi.unstubAllGlobals();
  });
});

describe("a copy in a studio of one's own", () => {
  it('is kept in a project that is chosen, without a download', async () => {
    gather.path = []; // a recipient has opened no place
    const client = { id: 'c1', name: 'Low Tide', kind: 'client' };
    studio.answers('GET /api/v1/places', ({ query }: { query: Record<string, string> }) =>
      query.parent ? [] : [client],
    );
    studio.answers('POST /api/v1/r/secret/keep', { items: 3, place: 'c1' });
    const guest = guestPage([], { keeper: 'Kelpwick Sound' });
    render(Copy, { guest, link: 'secret', chosen: [] });
    await userEvent.click(await screen.findByRole('button', { name: /Low Tide/, hidden: true }));
    await userEvent.click(await screen.findByRole('button', { name: /^Keep it in/, hidden: true }));
    expect(await screen.findByText(/3 items kept in/)).toHaveTextContent('Low Tide');
    expect(screen.getByRole('link', { name: 'Low Tide' })).toHaveAttribute('href', '/gather?in=c1');
    expect(studio.sent('POST /api/v1/r/secret/keep')).toEqual([{ place: 'c1' }]);
  });
});
