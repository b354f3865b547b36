import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { describe, expect, it, vi } from 'vitest';
import '../tests/line';
import { row } from '../tests/made';
import { studio } from '../tests/studio';

import Packages from './(studio)/packages/+page.svelte';

describe('the list of packages', () => {
  it('has a line for each, and older ones at a press', async () => {
    studio.answers('GET /api/v1/packages', ({ query }: { query: Record<string, string> }) =>
      query.after
        ? { packages: [row('old', { state: 'closed' })], next: '' }
        : { packages: [row('new'), row('draft', { sent_at: null, state: 'draft' })], next: 'more' },
    );
    render(Packages);
    expect(await screen.findByRole('link', { name: 'new' })).toHaveAttribute('href', '/packages/new');
    expect(screen.getByRole('link', { name: 'draft' }).closest('tr')).toHaveTextContent('not sent');
    await userEvent.click(screen.getByRole('button', { name: 'More packages' }));
    expect(await screen.findByRole('link', { name: 'old' })).toBeVisible();
    expect(screen.getAllByRole('link')).toHaveLength(5);
    expect(screen.queryByRole('button', { name: 'More packages' })).toBeNull();
  });

  it('is found, filtered and ordered by the server', async () => {
    studio.answers('GET /api/v1/packages', { packages: [row('cut')], next: '' });
    render(Packages);
    await screen.findByRole('link', { name: 'cut' });
    await userEvent.click(screen.getByRole('radio', { name: 'Outstanding' }));
    await userEvent.selectOptions(screen.getByLabelText('Order'), 'ends');
    await userEvent.type(screen.getByRole('searchbox'), 'hanne ');
    await vi.waitFor(() => expect(studio.asked.at(-1)?.query).toMatchObject({ filter: 'lacking', order: 'ends', find: 'hanne' })); // prettier-ignore
    studio.answers('GET /api/v1/packages', { packages: [], next: '' });
    await userEvent.type(screen.getByRole('searchbox'), 'x');
    await userEvent.click(await screen.findByRole('button', { name: 'Show all' }));
    await vi.waitFor(() => expect(studio.asked.at(-1)?.query).toMatchObject({ filter: 'all', find: '' }));
  });

  it('does one thing to several, and names those that refuse', async () => {
    studio.answers('GET /api/v1/packages', { packages: [row('cut'), row('stems')], next: '' });
    render(Packages);
    await userEvent.click(await screen.findByRole('checkbox', { name: 'Choose cut' }));
    await userEvent.click(screen.getByRole('checkbox', { name: 'Choose stems' }));
    expect(screen.getByText('2 packages chosen')).toBeVisible();
    studio.answers('POST /api/v1/packages/acts', [
      { id: 'cut', title: 'cut', done: true, says: 'Stopped.' },
      { id: 'stems', title: 'stems', done: false, says: 'Only a package that is out can be stopped.' },
    ]);
    await userEvent.click(screen.getByRole('button', { name: 'Stop…' }));
    await userEvent.click(await screen.findByRole('button', { name: 'Stop them now' }));
    expect(await screen.findByText('Only a package that is out can be stopped.')).toBeVisible();
    expect(studio.sent('POST /api/v1/packages/acts')).toEqual([{ packages: ['cut', 'stems'], act: 'stop' }]);
    await userEvent.click(screen.getByRole('button', { name: 'Leave' }));
    expect(screen.queryByText('2 packages chosen')).toBeNull();
  });
});
