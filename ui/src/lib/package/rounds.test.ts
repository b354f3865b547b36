import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { describe, expect, it, vi } from 'vitest';
import { item, parcel, recipient } from '../../tests/made';
import '../../tests/line';
import { studio } from '../../tests/studio';
import Rounds from './Rounds.svelte';

const path = '/api/v1/packages/p1/rounds';
const of = (id: string, more: object = {}) => ({
  id,
  name: 'Round 2 of 3',
  says: 'waits for Hanne',
  state: 'open',
  due: 'due tomorrow',
  message: 'The opening is new.',
  versions: ['v1', 'w1'],
  lines: ['hanne', 'tove'],
  items: [
    { id: 'a', name: 'a.mov', version: 'v1', number: 1, given: true, now: true },
    { id: 'b', name: 'b.mov', version: 'w1', number: 4, given: true, now: false },
  ],
  began_at: '2026-11-20T10:00:00Z',
  closed_at: null,
  ...more,
});
const said = (who: string, version: string, verdict: string, line = '') => ({
  item: 'a',
  version,
  number: 1,
  who,
  name: who,
  mine: false,
  verdict,
  line,
  sha256: '',
  at: '2026-11-21T10:00:00Z', // prettier-ignore
});
const show = (answer: object, more: object = {}) => {
  studio.answers(`GET ${path}`, { used: { project: '', agreed: 0, used: 0 }, decided: [], rounds: [], ...answer });
  return render(Rounds, {
    parcel: parcel({
      id: 'p1',
      state: 'out',
      items: [item('a'), item('b')],
      recipients: [recipient('hanne', { name: 'Hanne' }), recipient('tove', { name: 'Tove' })],
      ...more,
    } as never),
  });
};

describe('the rounds of a package', () => {
  it('say who decided what of which version, and who is waited for', async () => {
    show({
      rounds: [of('r2'), of('r1', { name: 'Round 1 of 3', closed_at: '2026-11-19T10:00:00Z', versions: ['v0'], lines: [], items: [] })], // prettier-ignore
      decided: [said('hanne', 'v1', 'signed_off', 'Lovely.'), said('hanne', 'v1', 'changes_wanted', 'Before.')],
      used: { project: 'pr', agreed: 3, used: 2 },
    });
    const table = await screen.findByRole('table', { name: 'Who decided what in Round 2 of 3' });
    const rows = within(table).getAllByRole('row');
    expect(rows[1]).toHaveTextContent(/a\.mov.*version 1.*Signed off.*“Lovely\.”.*waits/);
    expect(rows[1]).not.toHaveTextContent('Before.');
    expect(rows[2]).toHaveTextContent(/b\.mov.*version 4, there is a newer one.*waits.*waits/);
    expect(screen.getByText('2 rounds used in this project, 3 agreed.')).toBeInTheDocument();
    expect(screen.queryByRole('table', { name: /Round 1/ })).toBeNull();
    await userEvent.click(screen.getByRole('button', { name: /Round 1 of 3/ }));
    expect(screen.getByRole('table', { name: 'Who decided what in Round 1 of 3' })).toBeInTheDocument();
  });

  it('are agreed before the first one begins', async () => {
    studio.answers('PUT /api/v1/places/pr/rounds');
    show({ used: { project: 'pr', agreed: 0, used: 0 } });
    const field = await screen.findByLabelText(/Rounds agreed/);
    await userEvent.clear(field);
    await userEvent.type(field, '3');
    await userEvent.tab();
    await vi.waitFor(() => expect(studio.sent('PUT /api/v1/places/pr/rounds')).toEqual([{ agreed: 3 }]));
    expect(screen.getByText(/No round has begun/)).toBeInTheDocument();
  });

  it('begin with some of the items', async () => {
    studio.answers('GET /api/v1/packages/p1', { recipients: [recipient('hanne', { rights: ['see', 'sign_off'] })] });
    studio.answers(`POST ${path}`, {});
    show({});
    await userEvent.click(await screen.findByRole('button', { name: 'Ask for sign-off…' }));
    await userEvent.click(await screen.findByText('Only some'));
    await userEvent.click(screen.getByText('Begin the round'));
    expect(await screen.findByText('Choose what is to be looked at.')).toBeInTheDocument();
    await userEvent.click(screen.getByRole('checkbox', { name: 'b' }));
    await userEvent.click(screen.getByText('Begin the round'));
    await vi.waitFor(() => expect(studio.sent(`POST ${path}`)).toEqual([{ lines: ['hanne'], items: ['b'], message: '' }])); // prettier-ignore
  });
});
