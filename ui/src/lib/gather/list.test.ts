import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { flushSync } from 'svelte';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { place, thing } from '../../tests/made';
import { goto } from '../../tests/navigation';
import { studio, type Asked } from '../../tests/studio';

import Head from './Head.svelte';
import List from './List.svelte';
import { gather, type Where } from './gather.svelte';

const films = place('Lifeboat films', 'project', { parent: 'Kelpwick' });
const where: Where = { place: films.id, view: 'inside', find: '', what: '', tag: '', since: '' };
const names = ['a.mov', 'b.mov', 'c.mov', 'd.mov'];
const acts = { open: vi.fn(), put: vi.fn(), menu: vi.fn(), rename: vi.fn(), take: vi.fn() };

beforeEach(async () => {
  vi.clearAllMocks();
  localStorage.clear();
  gather.liking = { order: 'name', down: false, pictures: false, size: 'middle', grouped: false };
  studio.answers('GET /api/v1/gather', {
    path: [place('Kelpwick', 'client'), films],
    places: [],
    things: names.map((name) => thing(name)),
    next: '',
  });
  await gather.go(where);
});

describe('the list', () => {
  const show = () => {
    render(List, acts);
    const list = screen.getByRole('listbox', { name: 'Things here' });
    list.focus();
    return list;
  };
  const chosen = () => screen.getAllByRole('option', { selected: true }).map((o) => o.id.replace('row-', ''));

  it('is walked and chosen from by keys', async () => {
    const list = show();
    await userEvent.keyboard('{ArrowDown}{ArrowDown}');
    expect(chosen()).toEqual(['b.mov']);
    await userEvent.keyboard('{Shift>}{ArrowDown}{ArrowDown}{/Shift}');
    expect(chosen()).toEqual(['b.mov', 'c.mov', 'd.mov']);
    await userEvent.keyboard('{Shift>}{ArrowUp}{/Shift}');
    expect(chosen()).toEqual(['b.mov', 'c.mov']);
    await userEvent.keyboard('{End}');
    expect(list).toHaveAttribute('aria-activedescendant', 'row-d.mov');
    await userEvent.keyboard('{Home}{Enter}');
    expect(acts.open).toHaveBeenCalledWith(expect.objectContaining({ id: 'a.mov' }));
    await userEvent.keyboard('{F2}');
    expect(acts.rename).toHaveBeenCalledWith(expect.objectContaining({ id: 'a.mov' }));
  });

  it('opens under a finger, and chooses by the mark at its end', () => {
    show();
    const touch = (on: Element) =>
      on.dispatchEvent(Object.assign(new MouseEvent('click', { bubbles: true }), { pointerType: 'touch' }));
    const [a, b] = screen.getAllByRole('option');
    touch(a!.querySelector('.pick')!);
    touch(b!.querySelector('.pick')!);
    flushSync();
    expect(chosen()).toEqual(['a.mov', 'b.mov']);
    touch(a!.querySelector('.pick')!);
    touch(b!);
    flushSync();
    expect(chosen()).toEqual(['b.mov']);
    expect(acts.open).toHaveBeenCalledWith(expect.objectContaining({ id: 'b.mov' }));
  });

  it('says what becomes of a file from outside, and takes it there', async () => {
    studio.answers('GET /api/v1/gather', {
      path: [films],
      places: [place('Rushes', 'folder'), place('Sirius', 'client')],
      things: [
        thing('cut.mov'),
        thing('replay', { kind: 'link' }),
        thing('blue', { kind: 'swatch', data: { colour: '#35618E' } as never }),
      ],
      next: '',
    });
    await gather.go(where);
    show();
    const data = { types: ['Files'] };
    const fates = screen.getAllByRole('option').map((row) => {
      const event = (type: string) =>
        row.dispatchEvent(Object.assign(new Event(type, { bubbles: true, cancelable: true }), { dataTransfer: data }));
      event('dragover');
      flushSync();
      const said = row.querySelector('.fate')?.textContent ?? '';
      event('drop');
      return said;
    });
    expect(fates).toEqual(['Add to Rushes', '', 'Next version of this', 'Its picture', '']);
    expect(acts.take.mock.calls.map((call) => call[1].id)).toEqual(['Rushes', 'cut.mov', 'replay']); // prettier-ignore
    expect(acts.put).not.toHaveBeenCalled();
  });

  it('is chosen from by the pointer, with the usual keys beside it', async () => {
    show();
    const user = userEvent.setup();
    const row = (name: string) => screen.getByRole('option', { name: new RegExp(name) });
    await user.click(row('a.mov'));
    await user.keyboard('{Control>}');
    await user.click(row('c.mov'));
    await user.keyboard('{/Control}');
    expect(chosen()).toEqual(['a.mov', 'c.mov']);
    await user.keyboard('{Shift>}');
    await user.click(row('d.mov'));
    await user.keyboard('{/Shift}');
    expect(chosen()).toEqual(['c.mov', 'd.mov']);
    await user.dblClick(row('b.mov'));
    expect(acts.open).toHaveBeenCalledWith(expect.objectContaining({ id: 'b.mov' }));
    await user.pointer({ keys: '[MouseRight]', target: row('d.mov') });
    expect(chosen()).toEqual(['d.mov']);
    expect(acts.menu).toHaveBeenCalled();
  });

  it('is put in order by hand only where it is shown in that order', async () => {
    studio.answers('POST /api/v1/things/order');
    show();
    await userEvent.keyboard('{ArrowDown}{ArrowDown}{Alt>}{ArrowUp}{/Alt}');
    expect(studio.sent('POST /api/v1/things/order')).toEqual([]);
    gather.like({ order: 'hand' });
    await vi.waitFor(() => expect(gather.ordered).toBe(true));
    await userEvent.keyboard('{Alt>}{ArrowUp}{/Alt}');
    await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}');
    expect(studio.sent('POST /api/v1/things/order')).toEqual([
      { items: ['b.mov'], before: 'a.mov' },
      { items: ['b.mov'], before: 'd.mov' },
    ]);
    await userEvent.keyboard('{End}{Alt>}{ArrowDown}{/Alt}');
    expect(studio.sent('POST /api/v1/things/order')).toHaveLength(2);
  });

  it('sorts by its heads, and turns round at the second press', async () => {
    show();
    const asked = () => studio.asked.filter((a) => a.line === 'GET /api/v1/gather').at(-1)!.query;
    await userEvent.click(screen.getByRole('button', { name: 'size' }));
    expect(asked()).toMatchObject({ order: 'size', down: 'false' });
    await userEvent.click(screen.getByRole('button', { name: 'size ↑' }));
    expect(asked()).toMatchObject({ order: 'size', down: 'true' });
    expect(JSON.parse(localStorage.getItem('aftergust.gather')!)).toMatchObject({ order: 'size', down: true });
  });

  it('draws only what is on screen, and fetches the next page once', async () => {
    const many = Array.from({ length: 1000 }, (_, i) => thing(`take ${i}.wav`));
    studio.answers('GET /api/v1/gather', ({ query }: Asked) => ({
      path: [films],
      places: [],
      things: query.after ? many.slice(120, 600) : many.slice(0, 120),
      next: query.after ? '' : 'page 2',
    }));
    await gather.go(where);
    show();
    expect(screen.getAllByRole('option').length).toBeLessThan(60);
    await Promise.all([gather.page(), gather.page()]);
    expect(gather.things).toHaveLength(600);
    expect(studio.asked.filter((a) => a.query.after)).toHaveLength(1);
  });

  it('keeps what is chosen when it is read again, but not what is gone', async () => {
    gather.choose('a.mov');
    gather.choose('b.mov', 'also');
    studio.answers('GET /api/v1/gather', { path: [films], places: [], things: [thing('b.mov')], next: '' });
    await gather.load();
    expect([...gather.chosen]).toEqual(['b.mov']);
  });

  it('does not show an answer that was overtaken', async () => {
    const answer = (name: string) => ({ path: [films], places: [], things: [thing(name)], next: '' });
    let arrive: (list: unknown) => void = () => undefined;
    const late = new Promise((resolve) => (arrive = resolve));
    studio.answers('GET /api/v1/gather', ({ query }: Asked) => (query.find === 'old' ? late : answer('new.mov')));
    const first = gather.go({ ...where, find: 'old' });
    await gather.go({ ...where, find: 'new' });
    arrive(answer('old.mov'));
    await first;
    expect(gather.things.map((t) => t.id)).toEqual(['new.mov']);
  });
});

describe('the head of Gather', () => {
  const show = () => {
    studio.answers('GET /api/v1/tags', [{ name: 'rough', count: 2 }]);
    const add = vi.fn();
    render(Head, { add });
    return add;
  };

  it('finds as one types, and lets it be with Escape', async () => {
    show();
    const box = screen.getByRole('searchbox', { name: 'Find in Lifeboat films' });
    await userEvent.type(box, 'wav 48k');
    await vi.waitFor(() => expect(goto).toHaveBeenCalled());
    expect(goto.mock.calls.map(([to]) => new URL(to as string, 'http://x').searchParams.get('find'))).toEqual([
      'wav 48k',
    ]);
    await userEvent.keyboard('{Escape}');
    expect(new URL(goto.mock.lastCall![0] as string, 'http://x').searchParams.get('find')).toBeNull();
    expect(box).toHaveValue('');
  });

  it('filters by kind and tag', async () => {
    show();
    await userEvent.selectOptions(screen.getByRole('combobox', { name: 'Kind' }), 'sound');
    expect(goto.mock.lastCall![0]).toContain('what=sound');
    await userEvent.selectOptions(await screen.findByRole('combobox', { name: 'Tag' }), 'rough');
    expect(goto.mock.lastCall![0]).toContain('tag=rough');
  });

  it('narrows what lies across all clients to one of them', async () => {
    studio.answers('GET /api/v1/places', [place('Kelpwick', 'client'), place('Sirius', 'client')]);
    studio.answers('GET /api/v1/gather', { path: [], places: [], things: [], next: '' });
    await gather.go({ ...where, place: '', view: 'at_hand' });
    render(Head, { add: vi.fn() });
    await userEvent.selectOptions(await screen.findByRole('combobox', { name: 'Client' }), 'Sirius');
    expect(goto).toHaveBeenCalledWith('/gather?in=Sirius&view=at_hand', expect.anything());
  });

  it('shows what lies beside a step of the path', async () => {
    studio.answers('GET /api/v1/places', [films, place('Audio guide', 'project')]);
    show();
    await userEvent.click(screen.getByRole('button', { name: 'Beside Lifeboat films' }));
    expect(await screen.findByRole('link', { name: 'Audio guide' })).toHaveAttribute(
      'href',
      expect.stringContaining('Audio'),
    );
  });

  it('offers to make what can be made here', async () => {
    const add = show();
    await userEvent.click(screen.getByRole('button', { name: 'New' }));
    await userEvent.click(await screen.findByRole('button', { name: 'sheet', hidden: true }));
    expect(add).toHaveBeenCalledWith('sheet');
    studio.answers('GET /api/v1/gather', { path: [], places: [], things: [], next: '' });
    await gather.go({ ...where, place: '' });
    await userEvent.click(screen.getByRole('button', { name: 'New' }));
    await vi.waitFor(() =>
      expect([...document.querySelectorAll('.slip button')].map((m) => m.textContent)).toEqual(['client']),
    );
  });
});
