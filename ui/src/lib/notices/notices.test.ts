import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Line } from '../../tests/line';
import { studio } from '../../tests/studio';

import Ladder from '$lib/package/Ladder.svelte';
import Remind from '$lib/package/Remind.svelte';
import Page from '../../routes/(studio)/notices/+page.svelte';
import { notices } from './notices.svelte';

const notice = (id: number, says: string, more: object = {}) => ({ id, kind: 'has_all', says, package: `p${id}`, title: 'Lifeboat', at: new Date(Date.now() - id * 60_000).toISOString(), seen: false, ...more }); // prettier-ignore
const choices = (more: object = {}) => ({
  kinds: [
    { kind: 'note', cadence: 'gathered', word: 'Note', means: 'A recipient left a note.' },
    { kind: 'opened', cadence: 'never', word: 'Opened', means: 'Somebody opened it.' },
  ],
  projects: [],
  ...more,
});

beforeEach(() => {
  notices.unseen = 0;
  notices.shown = false;
  localStorage.clear();
  studio.answers('GET /api/v1/notices/unseen', { count: 2, more: false });
  studio.answers('POST /api/v1/notices/seen');
  studio.answers('GET /api/v1/calendar', { address: '' });
  studio.answers('GET /api/v1/notices/choices', choices());
  studio.answers('GET /api/v1/reminders', { hours: [72, 3], says: '3 days and 3 hours before the end' });
});

describe('notices', () => {
  const show = async (all: object[], next = '') => {
    studio.answers('GET /api/v1/notices', { notices: all, next });
    await notices.load();
    render(Page);
  };

  it("give an address for one's calendar, and take it away", async () => {
    let address = '';
    studio.answers('GET /api/v1/calendar', () => ({ address }));
    studio.answers('POST /api/v1/calendar', () => ({ address: (address = 'https://files.example/calendar/x.ics') }));
    studio.answers('DELETE /api/v1/calendar', () => void (address = ''));
    await show([]);
    await userEvent.click(await screen.findByRole('button', { name: 'Make an address' }));
    expect(await screen.findByText('https://files.example/calendar/x.ics')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'None' }));
    expect(await screen.findByRole('button', { name: 'Make an address' })).toBeVisible();
  });

  it('leads to the very note that it is about', async () => {
    await show([
      notice(3, 'Per named you in a note on cut.mov at 00:00:05:00.', { kind: 'named', note: 'n7', item: 'i2' }),
    ]);
    const named = await screen.findByRole('link', { name: /Per named you/ });
    expect(named).toHaveAttribute('href', '/packages/p3/room?item=i2&note=n7');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/notices/seen')).toEqual([{ until: 3 }]));
  });

  it('tells what became of what one sent, and says that it was seen', async () => {
    await show([notice(2, 'Hanne has everything.'), notice(1, 'Tomos has everything.', { seen: true })]);
    const fresh = await screen.findByRole('link', { name: /Hanne has everything/ });
    expect(fresh).toHaveAttribute('href', '/packages/p2');
    expect(fresh).toHaveTextContent('new');
    expect(screen.getByRole('link', { name: /Tomos/ })).not.toHaveTextContent('new');
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/notices/seen')).toEqual([{ until: 2 }]));
    expect(notices.unseen).toBe(0);
  });

  it('reads on from where a page ends, and says what the page is for where nothing is', async () => {
    await show([notice(2, 'Hanne has everything.')], 'later');
    await screen.findByText('Hanne has everything.');
    studio.answers('GET /api/v1/notices', { notices: [notice(1, 'Tomos opened it.')], next: '' });
    await userEvent.click(await screen.findByRole('button', { name: 'Earlier' }));
    expect(await screen.findByText('Tomos opened it.')).toBeVisible();
    expect(screen.queryByRole('button', { name: 'Earlier' })).toBeNull();
    expect(studio.asked.at(-1)?.query.after).toBe('later');
  });

  it('loads anew when somebody did something, and not for anything else', async () => {
    await show([]);
    expect(await screen.findByText(/Here you read what became/)).toBeVisible();
    const before = studio.asked.filter((a) => a.line === 'GET /api/v1/notices').length;
    Line.tells({ package: 'p1', what: 'ledger' });
    Line.tells({ package: '', what: 'notices' });
    await vi.waitFor(() =>
      expect(studio.asked.filter((a) => a.line === 'GET /api/v1/notices').length).toBe(before + 1),
    );
  });

  it('lets the studio choose how often it is written to', async () => {
    await show([]);
    studio.answers('PUT /api/v1/notices/choices', choices());
    await userEvent.selectOptions(await screen.findByLabelText('Letters about: Note'), 'daily');
    expect(studio.sent('PUT /api/v1/notices/choices')).toEqual([{ kinds: [{ kind: 'note', cadence: 'daily' }] }]);
  });

  it('lets one project be quieter, in one click', async () => {
    await show([]);
    studio.answers('GET /api/v1/places', (asked: { query: Record<string, string> }) =>
      asked.query.parent
        ? [{ id: 'films', name: 'Lifeboat films' }]
        : [{ id: 'museum', name: 'Kelpwick Harbour Museum' }],
    );
    studio.answers('PUT /api/v1/notices/choices', choices({ projects: [{ id: 'films', name: 'Museum / Films', kinds: [{ kind: 'note', cadence: 'never' }] }] })); // prettier-ignore
    await userEvent.click(await screen.findByRole('button', { name: 'Choose for a project…' }));
    await userEvent.selectOptions(await screen.findByLabelText('Client'), 'museum');
    await userEvent.selectOptions(await screen.findByLabelText('Project'), 'films');
    await userEvent.click(await screen.findByRole('button', { name: 'No letters' }));
    expect(studio.sent('PUT /api/v1/notices/choices')).toEqual([
      {
        project: 'films',
        kinds: [
          { kind: 'note', cadence: 'never' },
          { kind: 'opened', cadence: 'never' },
        ],
      },
    ]);
    expect(await screen.findByText('Note: no letter')).toBeInTheDocument();
  });

  it('shows what is new beside the page, once, where the browser allows it', async () => {
    const shown: string[] = [];
    class Allowed {
      static permission = 'granted';
      static requestPermission = () => Promise.resolve(Allowed.permission);
      onclick = null;
      constructor(title: string, { body }: { body: string }) {
        shown.push(`${title}: ${body}`);
      }
    }
    vi.stubGlobal('Notification', Allowed);
    expect(await notices.show(true)).toBe('');
    studio.answers('GET /api/v1/notices', { notices: [notice(7, 'Hanne has everything.')], next: '' });
    await notices.load();
    await notices.load();
    expect(shown).toEqual(['Lifeboat: Hanne has everything.']);
    Allowed.permission = 'denied';
    expect(await notices.show(true)).toMatch(/does not allow/);
    vi.unstubAllGlobals();
    expect(await notices.show(true)).toMatch(/cannot/);
  });
});

describe('reminders', () => {
  it('are rungs that are set and taken away, six at most, with those that are not usual', async () => {
    const change = vi.fn();
    const { rerender } = render(Ladder, { hours: [72, 36], change });
    const all = screen.getAllByRole('button').map((b) => b.textContent);
    expect(all).toEqual(['7 d', '5 d', '3 d', '2 d', '36 h', '1 d', '12 h', '6 h', '3 h', '1 h']);
    await userEvent.click(screen.getByRole('button', { name: '3 h before the end' }));
    expect(change).toHaveBeenLastCalledWith([72, 36, 3]);
    await userEvent.click(screen.getByRole('button', { name: '3 d before the end', pressed: true }));
    expect(change).toHaveBeenLastCalledWith([36]);
    await rerender({ hours: [168, 120, 72, 48, 24, 12], change });
    expect(screen.getByRole('button', { name: '1 h before the end' })).toBeDisabled();
    expect(screen.getByRole('button', { name: '12 h before the end' })).toBeEnabled();
  });

  it('are not written where nobody would get one', async () => {
    render(Remind, { parcel: 'p1', people: [{ id: 'l1', name: 'Hanne', saying: 'has nothing yet' }] as never, said: vi.fn() }); // prettier-ignore
    studio.answers('GET /api/v1/packages/p1/remind', { reminded: [], left: [{ name: 'Hanne', why: 'Hanne was reminded less than 12 hours ago.' }] }); // prettier-ignore
    await userEvent.click(screen.getByRole('button', { name: 'Remind 1 person' }));
    const dialog = await screen.findByRole('dialog');
    expect(await within(dialog).findByText('Hanne was reminded less than 12 hours ago.')).toBeVisible();
    expect(within(dialog).queryByLabelText('A line of yours')).toBeNull();
    expect(within(dialog).queryByRole('button', { name: 'Remind now' })).toBeNull();
  });

  it('go by hand to all, with a line of one’s own, and say who was left out', async () => {
    const said = vi.fn();
    studio.answers('GET /api/v1/packages/p1/remind', { reminded: ['Hanne'], left: [] });
    render(Remind, { parcel: 'p1', people: [{ id: 'l1', name: 'Hanne', saying: 'has nothing yet' }] as never, said });
    studio.answers('POST /api/v1/packages/p1/remind', { reminded: ['Hanne'], left: [{ name: 'Tomos', why: 'Tomos asked not to be reminded.' }] }); // prettier-ignore
    await userEvent.click(screen.getByRole('button', { name: 'Remind 1 person' }));
    const dialog = await screen.findByRole('dialog');
    await userEvent.type(within(dialog).getByLabelText('A line of yours'), 'We lock on Friday.');
    await userEvent.click(within(dialog).getByRole('button', { name: 'Remind now' }));
    await vi.waitFor(() => expect(said).toHaveBeenCalledWith('1 person is reminded. Tomos asked not to be reminded.'));
    expect(studio.sent('POST /api/v1/packages/p1/remind')).toEqual([{ message: 'We lock on Friday.' }]);
  });
});
