import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { describe, expect, it, vi } from 'vitest';
import { notices as kinds } from '$api/kinds';
import { studio } from '../../tests/studio';
import Page from '../../routes/(studio)/hooks/+page.svelte';

const hook = (more: object = {}) => ({ id: 'h1', address: 'https://hooks.kelpwick.example/a', kinds: ['has_all', 'noted'], on: true, why_off: '', failed_at: null, took_at: null, both_until: null, ...more }); // prettier-ignore
const message = (id: string, more: object = {}) => ({ id, kind: 'has_all', word: 'Has everything', title: 'Cut 3', at: '2026-11-25T12:00:00Z', state: 'taken', tries: 1, next_at: null, tried_at: '2026-11-25T12:00:00Z', status: 204, took_ms: 31, says: '', ...more }); // prettier-ignore

describe('webhooks', () => {
  it('begin with an address and what is told, and show their secret once', async () => {
    let list: object[] = [];
    studio.answers('GET /api/v1/hooks', () => list);
    studio.answers('POST /api/v1/hooks', () => {
      list = [hook()];
      return { ...hook(), secret: 'whsec_c2VjcmV0' };
    });
    render(Page);
    await userEvent.click(await screen.findByRole('button', { name: 'Tell a program' }));
    const dialog = within(screen.getByRole('dialog', { hidden: true }));
    await userEvent.type(dialog.getByLabelText('Address'), 'https://hooks.kelpwick.example/a');
    for (const k of kinds.filter((k) => k.offered && !['has_all', 'noted'].includes(k.name)))
      await userEvent.click(dialog.getByLabelText(k.word));
    await userEvent.click(dialog.getByRole('button', { name: 'Begin', hidden: true }));
    expect(await dialog.findByText('whsec_c2VjcmV0')).toBeInTheDocument();
    expect(studio.sent('POST /api/v1/hooks')).toEqual([
      { address: 'https://hooks.kelpwick.example/a', kinds: ['has_all', 'noted'] },
    ]);
    expect(await screen.findByText('Told of has everything, note')).toBeVisible();
  });

  it('say at the address what is wrong with it', async () => {
    studio.answers('GET /api/v1/hooks', []);
    studio.refuses(
      'POST /api/v1/hooks',
      'The address begins with http: what is sent could be read on the way. Use https.',
    );
    render(Page);
    await userEvent.click(await screen.findByRole('button', { name: 'Tell a program' }));
    const dialog = within(screen.getByRole('dialog', { hidden: true }));
    await userEvent.type(dialog.getByLabelText('Address'), 'http://a.example');
    await userEvent.click(dialog.getByRole('button', { name: 'Begin', hidden: true }));
    expect(await dialog.findByText(/Use https/)).toBeInTheDocument();
    expect(dialog.getByLabelText('Address')).toHaveValue('http://a.example');
  });

  it('say in their log what became of each message, and send it again', async () => {
    studio.answers('GET /api/v1/hooks', [hook()]);
    studio.answers('GET /api/v1/hooks/h1/messages', {
      messages: [
        message('m1'),
        message('m2', { state: 'waiting', tries: 2, status: 503, says: 'resting', next_at: '2026-11-25T13:00:00Z' }),
        message('m3', {
          state: 'given_up',
          tries: 10,
          status: 0,
          says: 'there is no such host: hooks.kelpwick.example',
        }),
        message('m4', { state: 'waiting', tries: 0, tried_at: null, title: '' }),
      ],
      next: '',
    });
    studio.answers('POST /api/v1/hooks/messages/*/again');
    render(Page);
    await userEvent.click(await screen.findByRole('button', { name: 'Its messages' }));
    const lines = await screen.findAllByRole('listitem');
    expect(lines[0]).toHaveTextContent('taken, 204 in 31 ms');
    expect(lines[1]).toHaveTextContent(/not taken yet, 2 tries; again .*503: resting/);
    expect(lines[2]).toHaveTextContent('not taken, given up after 10 tries there is no such host');
    expect(lines[3]).toHaveTextContent('on its way');
    await userEvent.click(screen.getAllByRole('button', { name: /^Send again/ })[2]!);
    await vi.waitFor(() => expect(studio.sent('POST /api/v1/hooks/messages/m3/again')).toHaveLength(1));
  });

  it('are turned off and on, renewed and deleted', async () => {
    studio.answers('GET /api/v1/hooks', [
      hook({ on: false, why_off: 'it answered 410: nobody wants anything there any more' }),
    ]);
    studio.answers('PUT /api/v1/hooks/h1', hook());
    studio.answers('DELETE /api/v1/hooks/h1');
    studio.answers('POST /api/v1/hooks/h1/secret', { secret: 'whsec_bmV3' });
    render(Page);
    expect(await screen.findByText(/off: it answered 410/)).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Turn it on' }));
    expect(studio.sent('PUT /api/v1/hooks/h1')).toEqual([
      { address: 'https://hooks.kelpwick.example/a', kinds: ['has_all', 'noted'], on: true },
    ]);
    const more = async (name: string) => {
      await userEvent.click(screen.getByRole('button', { name: /^More about/ }));
      await userEvent.click(await screen.findByText(name));
    };
    await more('Another secret…');
    expect(await screen.findByText('whsec_bmV3')).toBeInTheDocument();
    await more('Delete…');
    await userEvent.click(await screen.findByRole('button', { name: 'Delete it', hidden: true }));
    await vi.waitFor(() => expect(studio.asked.some((a) => a.line === 'DELETE /api/v1/hooks/h1')).toBe(true));
  });
});
