import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { place, thing } from '../../tests/made';
import { goto } from '../../tests/navigation';
import { studio } from '../../tests/studio';

import Bar from './Bar.svelte';
import Overview from './Overview.svelte';
import { gather } from './gather.svelte';

const soon = new Date(Date.now() + 3_600_000).toISOString();
const look = (id: string, more: object = {}) => ({ ...place(id, 'client'), about: '', things: 0, weight: '', last: '', out: [], pictures: [], inside: [], ...more }); // prettier-ignore
const museum = look('Museum', {
  about: 'A lifeboat restored',
  things: 61,
  weight: '105 GB',
  last: 'cut 4.mov',
  last_at: new Date().toISOString(),
  out: [
    { id: 'p1', title: 'Lifeboat, cut 3', ends: soon },
    { id: 'p2', title: 'Stills', ends: soon },
  ],
  pictures: [thing('a.jpg', { made: ['poster'] })],
  inside: [look('Films', { things: 1, weight: '71 GB' })],
});
const show = async (parent = '') => {
  const put = vi.fn();
  render(Overview, { parent, changed: 0, menu: vi.fn(), put });
  await screen.findByRole('list', { name: parent ? 'Projects' : 'Clients' });
  return put;
};

beforeEach(async () => {
  gather.chooseFor(null);
  studio.answers('GET /api/v1/places/overview', [museum, look('Ceramics')]);
  studio.answers('GET /api/v1/gather', { path: [], places: [place('Museum', 'client'), place('Ceramics', 'client')], things: [], next: '' }); // prettier-ignore
  await gather.go({ place: '', view: 'inside', find: '', what: '', tag: '', since: '' });
});

describe('the top of Gather', () => {
  it('says what lies with each client, what is out and what changed last', async () => {
    await show();
    const [first, second] = within(screen.getByRole('list', { name: 'Clients' })).getAllByRole('heading');
    expect([first!.textContent, second!.textContent]).toEqual([expect.stringContaining('Museum'), expect.stringContaining('Ceramics')]); // prettier-ignore
    expect(screen.getByText('61 things, 105 GB')).toBeVisible();
    expect(screen.getByRole('link', { name: /^2 out, the next ends/ })).toHaveAttribute('href', '/packages/p1');
    expect(screen.getByText(/cut 4.mov/)).toBeVisible();
    expect(screen.getByText('nothing yet')).toBeVisible();
    expect(within(screen.getByRole('list', { name: 'In Museum' })).getByText('1 thing')).toBeVisible();
  });

  it('has what a client is changed in place', async () => {
    studio.answers('PATCH /api/v1/places/Museum', place('Museum', 'client'));
    await show();
    await userEvent.click(screen.getByRole('button', { name: /^What Museum is: A lifeboat restored/ }));
    const field = screen.getByRole('textbox', { name: 'What Museum is' });
    await userEvent.clear(field);
    await userEvent.type(field, 'Films and stills{Enter}');
    expect(studio.sent('PATCH /api/v1/places/Museum')).toEqual([{ about: 'Films and stills' }]);
    await userEvent.click(screen.getByRole('button', { name: /^What Ceramics is/ }));
    await userEvent.keyboard('nothing{Escape}');
    expect(studio.sent('PATCH /api/v1/places/Ceramics')).toEqual([]);
  });

  it('is walked and chosen from by keys', async () => {
    await show();
    screen.getAllByRole('link', { name: 'Museum' })[0]!.focus();
    await userEvent.keyboard(' {ArrowDown}');
    expect(document.activeElement).toHaveTextContent('Films');
    expect(gather.selection.places).toEqual(['Museum']);
  });
});

describe('choosing for a package', () => {
  it('keeps what was chosen in places that one has left, and puts all of it in', async () => {
    studio.answers('POST /api/v1/things/pack', { id: 'p9' });
    gather.chooseFor({ id: 'p9', title: 'Lifeboat, cut 4' });
    render(Bar, { open: vi.fn(), rename: vi.fn() });
    expect(screen.getByRole('button', { name: 'Put in' })).toBeDisabled();
    gather.choose('Museum');
    studio.answers('GET /api/v1/gather', {
      path: [],
      places: [],
      things: [thing('a.mov', { size: 5_000_000 })],
      next: '',
    });
    await gather.go({ place: 'x', view: 'inside', find: '', what: '', tag: '', since: '' });
    gather.choose('a.mov');
    expect(await screen.findByText('2 things chosen')).toBeVisible();
    expect(screen.getByText('5.0 MB')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Put in' }));
    expect(studio.sent('POST /api/v1/things/pack')).toEqual([{ items: ['a.mov'], places: ['Museum'], package: 'p9' }]);
    await vi.waitFor(() => expect(gather.for).toBeNull());
  });

  it('leads back without putting anything in', async () => {
    gather.chooseFor({ id: 'p9', title: 'Lifeboat, cut 4' });
    render(Bar, { open: vi.fn(), rename: vi.fn() });
    await userEvent.click(screen.getByRole('button', { name: 'Back to the package' }));
    expect(goto).toHaveBeenCalledWith('/packages/p9');
    expect([gather.for, studio.sent('POST /api/v1/things/pack')]).toEqual([null, []]);
  });
});
