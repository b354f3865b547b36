import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { createRawSnippet } from 'svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Line } from '../tests/line';
import { days, guestItem, guestPage, item, note, parcel, row } from '../tests/made';
import { goto } from '../tests/navigation';
import { page } from '../tests/state';
import { studio } from '../tests/studio';

import { api, need } from '$api/client';
import Shell from '$lib/Shell.svelte';
import { session } from '$lib/session.svelte';
import { uploads } from '$lib/uploads.svelte';
import Desk from './(studio)/+page.svelte';
import OnePackage from './(studio)/packages/[id]/+page.svelte';
import Recipient from './r/[link]/+page.svelte';
import SignIn from './sign-in/+page.svelte';
import Confirm from '$lib/account/Confirm.svelte';
import Account from './(studio)/account/+page.svelte';
import StudioPage from './(studio)/studio/+page.svelte';
import Found from './found/+page.svelte';
import Join from './join/[token]/+page.svelte';
import Quiet from './r/[link]/quiet/+page.svelte';

const at = (path: string, params: Record<string, string> = {}) => {
  page.url = new URL(path, 'http://studio.example');
  page.params = params;
};
const asked = (line: string) => studio.asked.filter((a) => a.line === line).length;
const marit = { id: 'm1', name: 'Marit Oyelaran', email: 'marit@lowtide.example' };

beforeEach(() => {
  vi.clearAllMocks();
  session.member = undefined;
  session.ended = false;
  session.problem = '';
  uploads.open = false;
});

describe('the frame of the studio', () => {
  const inside = createRawSnippet(() => ({ render: () => '<p>inside <input aria-label="box" /></p>' }));
  const enter = async (path = '/') => {
    at(path);
    studio.answers('GET /api/v1/me', marit);
    render(Shell, { children: inside });
    await screen.findByText('inside');
  };

  it('sends whoever is not signed in to the door, and remembers the way', async () => {
    at('/packages/p1?show=notes');
    studio.refuses('GET /api/v1/me', 'Sign in first.', 401);
    render(Shell, { children: inside });
    await vi.waitFor(() => expect(goto).toHaveBeenCalledWith('/sign-in?to=%2Fpackages%2Fp1%3Fshow%3Dnotes', { replaceState: true })); // prettier-ignore
    expect(screen.queryByText('inside')).toBeNull();
  });

  it('takes up what an earlier page left of the uploads of this member', async () => {
    const recall = vi.spyOn(uploads, 'recall').mockResolvedValue();
    await enter();
    await vi.waitFor(() => expect(recall).toHaveBeenCalledWith('m1'));
  });

  it('goes to its places by one key', async () => {
    await enter();
    await userEvent.keyboard('gpd/');
    expect(goto.mock.calls.map((call) => call[0])).toEqual(['/gather', '/packages', '/', '/gather?view=below']);
  });

  it('makes a package by N', async () => {
    studio.answers('POST /api/v1/packages', { id: 'p9' });
    await enter();
    await userEvent.keyboard('n');
    await vi.waitFor(() => expect(goto).toHaveBeenCalledWith('/packages/p9'));
  });

  it('leaves letters alone that are typed, or pressed with another key', async () => {
    await enter();
    await userEvent.type(screen.getByRole('textbox', { name: 'box' }), 'gnu?');
    await userEvent.keyboard('{Control>}p{/Control}{Alt>}d{/Alt}');
    expect(goto).not.toHaveBeenCalled();
    expect(uploads.open).toBe(false);
  });

  it('shows uploads by U and the keys by ?', async () => {
    studio.answers('GET /api/v1/arriving', []);
    await enter('/gather');
    await userEvent.keyboard('u');
    expect(screen.getByRole('region', { name: 'Uploads' })).toBeVisible();
    await userEvent.keyboard('u?');
    expect(screen.queryByRole('region', { name: 'Uploads' })).toBeNull();
    expect(await screen.findByText('show as formats of one thing')).toBeVisible();
  });

  it('gives the Room the whole screen and all keys', async () => {
    await enter('/packages/p1/room');
    expect(screen.queryByRole('navigation', { name: 'Places' })).toBeNull();
    await userEvent.keyboard('gu?');
    expect(goto).not.toHaveBeenCalled();
    expect(screen.queryByRole('dialog')).toBeNull();
  });

  it('signs out', async () => {
    studio.answers('DELETE /api/v1/session');
    await enter();
    await userEvent.click(screen.getByRole('button', { name: 'Sign out' }));
    await vi.waitFor(() => expect(goto).toHaveBeenCalledWith('/sign-in'));
    expect(session.member).toBeNull();
  });
});

describe('a session that ends', () => {
  const inside = createRawSnippet(() => ({ render: () => '<p>inside <input aria-label="box" /></p>' }));

  it('asks for the password over the page, and what was typed is still there', async () => {
    at('/packages/p1');
    studio.answers('GET /api/v1/me', marit);
    render(Shell, { children: inside });
    await userEvent.type(await screen.findByRole('textbox', { name: 'box' }), 'half a sentence');
    studio.refuses('GET /api/v1/tags', 'Sign in first.', 401);
    await need(api.GET('/api/v1/tags', {})).catch(() => undefined);
    expect(await screen.findByRole('heading', { name: 'Your session has ended', hidden: true })).toBeInTheDocument();
    expect(screen.getByLabelText('Mail address')).toHaveValue(marit.email);
    studio.answers('POST /api/v1/session', marit);
    await userEvent.type(screen.getByLabelText('Password'), 'low-tide-at-noon{Enter}');
    await vi.waitFor(() => expect(session.ended).toBe(false));
    expect(screen.getByLabelText('box')).toHaveValue('half a sentence');
    expect(goto).not.toHaveBeenCalled();
  });

  it('is not what a line that is down looks like', async () => {
    at('/packages/p1');
    studio.refuses('GET /api/v1/me', 'Something failed on our side.', 500);
    render(Shell, { children: inside });
    expect(await screen.findByRole('alert')).toHaveTextContent('Something failed on our side.');
    expect(goto).not.toHaveBeenCalled();
    studio.answers('GET /api/v1/me', marit);
    await userEvent.click(screen.getByRole('button', { name: 'Try again' }));
    expect(await screen.findByText('inside')).toBeVisible();
  });
});

describe('signing in', () => {
  const enter = async (path: string) => {
    at(path);
    render(SignIn);
    await userEvent.type(screen.getByLabelText('Mail address'), 'marit@lowtide.example');
    await userEvent.type(screen.getByLabelText('Password'), 'low-tide-at-noon{Enter}');
  };

  it('leads to where one wanted to go, never to another house', async () => {
    studio.answers('POST /api/v1/session', marit);
    await enter('/sign-in?to=%2Fgather%3Fin%3Dfilms');
    await vi.waitFor(() => expect(goto).toHaveBeenLastCalledWith('/gather?in=films'));
    document.body.innerHTML = '';
    session.member = undefined;
    await enter('/sign-in?to=%2F%2Felsewhere.example');
    await vi.waitFor(() => expect(goto).toHaveBeenLastCalledWith('/'));
  });

  it('says why it is refused and keeps what was typed', async () => {
    studio.refuses('POST /api/v1/session', 'That address and password do not belong together.', 401);
    await enter('/sign-in');
    expect(await screen.findByRole('alert')).toHaveTextContent('do not belong together');
    expect(screen.getByLabelText('Mail address')).toHaveValue('marit@lowtide.example');
  });
});

const outstanding = (recipient: string, of: string, more: object = {}) => ({ recipient, name: recipient, package: of, title: of, saying: 'has nothing yet', left: '3 d', state: 'out', delivered: 0, anyone: false, ...more }); // prettier-ignore

describe('the Desk', () => {
  const show = (more: object = {}) => {
    at('/');
    studio.answers('GET /api/v1/desk', { out: [], needs: [], outstanding: [], freed: [], storage: { used: 1, quota: 10 }, used: 1, quota: 10, ...more }); // prettier-ignore
    render(Desk);
  };

  it('says in a sentence what is out and who has not collected', async () => {
    const out = [row('late', { ends_at: days(9) }), row('soon', { ends_at: days(1), state: 'closing' })];
    show({ out, outstanding: [outstanding('Hanne', 'late'), outstanding('Tomos', 'soon'), outstanding('r3', 'soon', { name: 'Hanne' })] }); // prettier-ignore
    expect(await screen.findByRole('heading', { name: 'Two packages out' })).toBeVisible();
    expect(screen.getByText('One ends within 48 hours. Two people have not collected.')).toBeVisible();
    const list = screen.getByRole('region', { name: 'Outstanding' });
    const order = within(list).getAllByRole('link').map((a) => a.getAttribute('href')); // prettier-ignore
    expect(order).toEqual(['/packages/soon', '/packages/soon', '/packages/late']); // whoever runs out of time first
  });

  // Twice the same key among its rows cut the page short, and the request could not be answered.
  it('shows two requests of one person that look alike', async () => {
    const asks = (knock: string) => ({ kind: 'asked', package: 'cut', title: 'Lifeboat', saying: 'Hanne asks for access', knock, at: days(0) }); // prettier-ignore
    show({ needs: [asks('k1'), asks('k2')], freed: [{ at: days(3), bytes: 5 }, { at: days(3), bytes: 5 }] }); // prettier-ignore
    const list = await screen.findByRole('region', { name: 'Needs you' });
    const links = within(list).getAllByRole('link').map((a) => a.getAttribute('href')); // prettier-ignore
    expect(links).toEqual(['/knocks/k1', '/knocks/k2']);
  });

  it('reminds one person, once, and says why not', async () => {
    show({ out: [row('cut')], outstanding: [outstanding('Hanne', 'cut'), outstanding('Tomos', 'cut')] });
    studio.answers('POST /api/v1/recipients/Hanne/remind');
    studio.refuses('POST /api/v1/recipients/Tomos/remind', 'Tomos was reminded an hour ago.');
    await userEvent.click(await screen.findByRole('button', { name: 'Remind Hanne of cut' }));
    expect(await screen.findByText('Reminded')).toBeVisible();
    expect(screen.queryByRole('button', { name: 'Remind Hanne of cut' })).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: 'Remind Tomos of cut' }));
    expect(await screen.findByText('Tomos was reminded an hour ago.')).toBeVisible();
    expect(screen.getByRole('button', { name: 'Remind Tomos of cut' })).toBeVisible();
  });

  it('starts the first package where nothing is out', async () => {
    show();
    studio.answers('POST /api/v1/packages', { id: 'p9' });
    await userEvent.click(await screen.findByRole('button', { name: 'Send the first one' }));
    await vi.waitFor(() => expect(goto).toHaveBeenCalledWith('/packages/p9'));
  });

  it('hears of changes, a burst at once, and looks again when the line comes back', async () => {
    show();
    await screen.findByText('Nothing is out');
    for (let i = 0; i < 5; i++) Line.tells({ package: 'p1', what: 'ledger' });
    await vi.waitFor(() => expect(asked('GET /api/v1/desk')).toBe(2));
    Line.comesBack();
    await vi.waitFor(() => expect(asked('GET /api/v1/desk')).toBe(3));
  });

  it('asks for the line again where it is refused, ever later, and looks again once it has it', async () => {
    show();
    await screen.findByText('Nothing is out');
    vi.useFakeTimers();
    Line.refused();
    await vi.advanceTimersByTimeAsync(1999);
    expect(Line.open).toHaveLength(0);
    Line.refuses = true;
    await vi.advanceTimersByTimeAsync(1); // refused again
    await vi.advanceTimersByTimeAsync(3999);
    expect([Line.open.length, asked('GET /api/v1/desk')]).toEqual([0, 1]);
    Line.refuses = false;
    await vi.advanceTimersByTimeAsync(1 + 120);
    expect([Line.open.length, asked('GET /api/v1/desk')]).toEqual([1, 2]);
    vi.useRealTimers();
  });
});

describe('one package', () => {
  it('reads again only what changed, and only of itself', async () => {
    at('/packages/p1', { id: 'p1' });
    studio.answers('GET /api/v1/packages/p1', parcel({ state: 'out', items: [item('a.mov')] }));
    studio.answers('GET /api/v1/packages/p1/ledger', { items: [item('a.mov')], rows: [] });
    studio.answers('GET /api/v1/packages/p1/notes', []);
    render(OnePackage);
    expect(await screen.findByRole('heading', { name: 'Lifeboat, cut 4' })).toBeVisible();
    Line.tells({ package: 'p2', what: 'contents' });
    Line.tells({ package: 'p1', what: 'notes' });
    await vi.waitFor(() => expect(asked('GET /api/v1/packages/p1/notes')).toBe(2));
    expect([asked('GET /api/v1/packages/p1'), asked('GET /api/v1/packages/p1/ledger')]).toEqual([1, 1]);
  });
});

describe('the page of a recipient', () => {
  const open = (more: Parameters<typeof guestPage>[1] = {}) => {
    at('/r/secret', { link: 'secret' });
    studio.answers('POST /api/v1/r/secret/visit');
    studio.answers('GET /api/v1/r/secret', guestPage([guestItem('cut.jpg')], more));
    studio.answers('GET /api/v1/r/secret/notes', [note('one', 'cut.jpg')]);
    render(Recipient);
  };

  it('tells the clock of its reader, and shows what is in it', async () => {
    open();
    expect(await screen.findByRole('heading', { name: 'Lifeboat, cut 3' })).toBeVisible();
    expect(studio.sent('POST /api/v1/r/secret/visit')).toEqual([{ zone: Intl.DateTimeFormat().resolvedOptions().timeZone }]); // prettier-ignore
    expect(Line.open.map((l) => l.address)).toEqual(['/api/v1/r/secret/live']);
  });

  it('shows what is so now, whichever answer comes last', async () => {
    open();
    await screen.findByRole('heading', { name: 'Lifeboat, cut 3' });
    let late!: (page: unknown) => void;
    studio.answers('GET /api/v1/r/secret', new Promise((resolve) => (late = resolve)));
    Line.tells({ package: 'p1', what: 'ledger' });
    await vi.waitFor(() => expect(asked('GET /api/v1/r/secret')).toBe(2));
    studio.answers('GET /api/v1/r/secret', guestPage([guestItem('cut.jpg')], { title: 'Lifeboat, cut 4' }));
    Line.tells({ package: 'p1', what: 'contents' });
    await screen.findByRole('heading', { name: 'Lifeboat, cut 4' });
    late(guestPage([guestItem('cut.jpg')]));
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(screen.getByRole('heading', { name: 'Lifeboat, cut 4' })).toBeVisible();
  });

  it('asks for no notes of whoever may not see', async () => {
    open({ rights: ['take'] });
    expect(await screen.findByRole('heading', { name: 'Lifeboat, cut 3' })).toBeVisible();
    expect(asked('GET /api/v1/r/secret/notes')).toBe(0);
  });

  it('says that a link leads nowhere, and that a studio does not answer', async () => {
    at('/r/secret', { link: 'secret' });
    studio.refuses('POST /api/v1/r/secret/visit', 'Nothing lies behind this link.', 404);
    const { unmount } = render(Recipient);
    expect(await screen.findByText('This link leads nowhere')).toBeVisible();
    unmount();
    studio.refuses('POST /api/v1/r/secret/visit', 'The studio rests for a moment.', 503);
    render(Recipient);
    expect(await screen.findByRole('alert')).toHaveTextContent('The studio rests for a moment.');
  });

  it('says to the producer that this is how it looks, and records nothing', async () => {
    open({ preview: true });
    expect(await screen.findByText(/You see this page as Hanne Orrick does/)).toBeVisible();
  });
});

describe('the studio page', () => {
  const members = [
    { id: 'm1', name: 'Marit Oyelaran', email: 'marit@lowtide.example', role: 'owner', you: true },
    { id: 't1', name: 'Tove Ashlund', email: 'tove@lowtide.example', role: 'member', you: false },
  ];
  const whole = { name: 'Low Tide Pictures', zone: 'Europe/London', members, invitations: [], used: 1, quota: 4, used_saying: '1 B of 4 B' }; // prettier-ignore
  const open = async (runs: boolean, more = {}) => {
    at('/studio');
    session.member = {
      ...marit,
      studio: whole.name,
      zone: whole.zone,
      role: runs ? 'owner' : 'member',
      runs,
      confirm: false,
    };
    studio.answers('GET /api/v1/studio', { ...whole, ...more });
    studio.answers('GET /api/v1/account/record', []);
    render(StudioPage);
    await screen.findByText('2 people work here');
  };

  it('lets an owner change roles, but not leave the studio without one', async () => {
    studio.answers('PATCH /api/v1/studio/members/*');
    await open(true);
    expect(screen.queryByRole('button', { name: /Remove Marit/ })).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: 'Make owner: Tove Ashlund' }));
    expect(studio.sent('PATCH /api/v1/studio/members/t1')).toEqual([{ role: 'owner' }]);
  });

  it('says before a removal what becomes of it', async () => {
    studio.answers('DELETE /api/v1/studio/members/*');
    await open(true);
    await userEvent.click(screen.getByRole('button', { name: 'Remove Tove Ashlund' }));
    expect(await screen.findByText(/Tove Ashlund is signed out at once/)).toBeInTheDocument();
    expect(asked('DELETE /api/v1/studio/members/t1')).toBe(0);
    await userEvent.click(screen.getByRole('button', { name: 'Remove from the studio', hidden: true }));
    await vi.waitFor(() => expect(asked('DELETE /api/v1/studio/members/t1')).toBe(1));
  });

  it('keeps what was typed where an invitation is refused', async () => {
    studio.refuses('POST /api/v1/studio/invitations', 'Tove Ashlund works here already.');
    await open(true);
    await userEvent.click(screen.getByRole('button', { name: 'Invite somebody' }));
    await userEvent.type(screen.getByLabelText('Mail address'), 'tove@lowtide.example');
    await userEvent.click(screen.getByRole('button', { name: 'Send the invitation', hidden: true }));
    expect(await screen.findByText('Tove Ashlund works here already.')).toBeInTheDocument();
    expect(screen.getByLabelText('Mail address')).toHaveValue('tove@lowtide.example');
  });

  it('offers nothing of that to a member', async () => {
    await open(false);
    expect(screen.queryByRole('button', { name: /Invite|Make|Remove|Keep/ })).toBeNull();
    expect(screen.getByText('Whoever owns the studio invites and removes members.')).toBeVisible();
  });
});

describe('the mail address of whoever founded the studio', () => {
  const me = { ...marit, studio: 'Low Tide Pictures', zone: 'Europe/London', role: 'owner', runs: true };
  it('is confirmed by the code that went there', async () => {
    studio.answers('POST /api/v1/account/address/confirm');
    studio.answers('GET /api/v1/me', { ...me, confirm: false });
    render(Confirm, { address: marit.email });
    expect(screen.getByText(marit.email)).toBeVisible();
    await userEvent.type(screen.getByRole('textbox', { name: 'Code' }), '123 456{Enter}');
    await vi.waitFor(() => expect(session.member?.confirm).toBe(false));
    expect(studio.sent('POST /api/v1/account/address/confirm')).toEqual([{ code: '123 456' }]);
  });

  it('says that mail is down and what helps, instead of that a code has gone', async () => {
    studio.answers('GET /api/v1/account/address', { state: 'waiting', problem: 'The mail server did not take it. It is tried again by itself.' }); // prettier-ignore
    render(Confirm, { address: marit.email });
    expect(await screen.findByText(/has not gone out/)).toBeVisible();
    expect(screen.getByText('AFTERGUST_SMTP_URL')).toBeVisible();
    expect(screen.queryByText(/A code went to/)).toBeNull();
  });

  it('can be put right where it was mistyped, and says what is wrong with a code', async () => {
    studio.refuses('POST /api/v1/account/address/confirm', 'This is not the code.', 403);
    studio.answers('POST /api/v1/account/address/code');
    studio.answers('GET /api/v1/me', { ...me, email: 'm@lowtide.example', confirm: true });
    render(Confirm, { address: marit.email });
    await userEvent.type(screen.getByRole('textbox', { name: 'Code' }), '1{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('This is not the code.');
    await userEvent.click(screen.getByRole('button', { name: 'Wrong address' }));
    await userEvent.type(screen.getByRole('textbox', { name: 'Your mail address' }), 'm@lowtide.example{Enter}');
    expect(await screen.findByText(/A new code went to/)).toHaveTextContent('m@lowtide.example');
    expect(studio.sent('POST /api/v1/account/address/code')).toEqual([{ email: 'm@lowtide.example' }]);
  });
});

describe('the second factor', () => {
  const open = (factors: object) => {
    at('/account');
    session.member = {
      ...marit,
      studio: 'Low Tide Pictures',
      zone: 'Europe/London',
      role: 'owner',
      runs: true,
      confirm: false,
    };
    studio.answers('GET /api/v1/account/sessions', []);
    studio.answers('GET /api/v1/account/tokens', []);
    studio.answers('GET /api/v1/account/factors', {
      app: false,
      passkeys: [],
      recovery: 0,
      possible: false,
      ...factors,
    });
    render(Account);
  };

  it('is turned on by a code, and shows what to keep once', async () => {
    studio.answers('POST /api/v1/account/app', { id: 'a1', secret: 'ABCDEFGH', image: 'data:,' });
    studio.answers('PUT /api/v1/account/app', { recovery: ['aaaa-bbbb'] });
    open({});
    await userEvent.click(await screen.findByRole('button', { name: 'Use codes of an app' }));
    expect(await screen.findByText('ABCD EFGH')).toBeInTheDocument();
    await userEvent.type(screen.getByLabelText('Code that it shows now'), '123456');
    await userEvent.click(screen.getByRole('button', { name: 'Turn codes on', hidden: true }));
    expect(studio.sent('PUT /api/v1/account/app')).toEqual([{ id: 'a1', code: '123456' }]);
    expect(await screen.findByText('aaaa-bbbb')).toBeInTheDocument();
    expect(screen.getByRole('button', { name: 'I have kept them', hidden: true })).toBeInTheDocument();
  });

  it('offers no passkey where the address cannot have one, and warns of few recovery codes', async () => {
    open({ app: true, recovery: 2 });
    expect(await screen.findByText(/2 codes left/)).toHaveClass('late');
    expect(screen.queryByRole('button', { name: 'Make a passkey' })).toBeNull();
  });
});

describe('a proof of who one is', () => {
  it('is asked for once, and what was asked goes on by itself', async () => {
    at('/');
    studio.answers('GET /api/v1/me', marit);
    let proven = false;
    studio.answers('POST /api/v1/account/proof', () => void (proven = true));
    render(Shell, { children: createRawSnippet(() => ({ render: () => '<p>inside</p>' })) });
    await screen.findByText('inside');
    studio.unproven('POST /api/v1/account/recovery', () => proven, { recovery: ['aaaa'] });
    const done = need(api.POST('/api/v1/account/recovery', {}));
    expect(await screen.findByRole('heading', { name: 'Is it you?', hidden: true })).toBeInTheDocument();
    await userEvent.type(screen.getByLabelText('Password'), 'low-tide-at-noon{Enter}');
    expect(await done).toEqual({ recovery: ['aaaa'] });
    expect(asked('POST /api/v1/account/recovery')).toBe(2);
  });
});

describe('pages with one thing to do', () => {
  it('an invitation is accepted with a name and a password', async () => {
    at('/join/secret', { token: 'secret' });
    studio.answers('POST /api/v1/join/look', {
      studio: 'Low Tide Pictures',
      inviter: 'Marit',
      email: 'tove@lowtide.example',
    });
    studio.answers('POST /api/v1/join', marit);
    render(Join);
    expect(await screen.findByText('Work with Low Tide Pictures')).toBeVisible();
    await userEvent.type(screen.getByLabelText('What you are called'), 'Tove');
    await userEvent.type(screen.getByLabelText('Password'), 'slow glaze harbour lamp{Enter}');
    await vi.waitFor(() => expect(goto).toHaveBeenCalledWith('/'));
    expect(studio.sent('POST /api/v1/join')).toEqual([
      { token: 'secret', name: 'Tove', password: 'slow glaze harbour lamp' },
    ]);
  });
  it('an invitation that is over says so', async () => {
    at('/join/secret', { token: 'secret' });
    studio.refuses('POST /api/v1/join/look', 'Ask for another.', 410);
    render(Join);
    expect(await screen.findByText('Ask for another.')).toBeVisible();
  });
  it('a studio is founded, and the field that is wrong says so', async () => {
    at('/found');
    studio.refuses('POST /api/v1/found', 'This is not the code.', 403);
    render(Found);
    for (const label of ['Code from the log', 'What the studio is called', 'What you are called', 'Password'])
      await userEvent.type(screen.getByLabelText(label), 'words enough');
    await userEvent.type(screen.getByLabelText('Your mail address'), 'marit@lowtide.example{Enter}');
    expect(await screen.findByRole('alert')).toHaveTextContent('This is not the code.');
  });
  it('nothing is asked of a reminder before somebody says so', async () => {
    at('/r/secret/quiet', { link: 'secret' });
    studio.answers('POST /api/v1/r/secret/quiet');
    render(Quiet);
    expect(asked('POST /api/v1/r/secret/quiet')).toBe(0);
    await userEvent.click(screen.getByRole('button', { name: 'Remind me no more' }));
    expect(await screen.findByText('No reminders any more')).toBeVisible();
  });
});
