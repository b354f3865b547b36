import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { studio } from '../../tests/studio';

// The line to the server, in the hands of the tests.
const line = vi.hoisted(() => {
  interface Options {
    metadata: Record<string, string>;
    fingerprint: () => Promise<string>;
    onUploadUrlAvailable: () => void;
    onProgress: (sent: number) => void;
    onShouldRetry: (error: unknown) => boolean;
    onSuccess: (payload: unknown) => void;
    onError: (error: unknown) => void;
  }
  class Upload {
    static all: Upload[] = [];
    started = false;
    aborted = false;
    constructor(
      readonly file: File,
      readonly options: Options,
    ) {
      Upload.all.push(this);
    }
    findPreviousUploads = async () => [];
    abort = async () => {
      this.aborted = true;
    };
    start() {
      this.started = true;
      this.options.onUploadUrlAvailable();
    }
    arrives(id: string) {
      this.options.onSuccess({ lastResponse: { getHeader: () => id } });
    }
    fails(status: number, body = '') {
      const error = Object.assign(new Error('tus'), {
        originalResponse: status ? { getStatus: () => status, getBody: () => body } : undefined,
      });
      if (!this.options.onShouldRetry(error)) this.options.onError(error);
    }
  }
  return { Upload };
});
vi.mock('tus-js-client', () => ({ Upload: line.Upload }));

import { onSignedOut } from '$api/client';
import { uploads } from '$lib/uploads.svelte';
import Tray from './Tray.svelte';

const files = (...names: string[]) => names.map((name) => ({ file: new File(['0123456789'], name), folder: 'Rushes' }));
const going = () => line.Upload.all.filter((u) => u.started && !u.aborted).map((u) => u.file.name);
const of = (name: string) => line.Upload.all.findLast((u) => u.file.name === name)!;
const stateOf = (name: string) => uploads.list.find((u) => u.name === name)?.state;
const settled = () => new Promise((resolve) => setTimeout(resolve, 0));
const row = (name: string) => screen.getByTitle(name).closest('li')!;

beforeEach(async () => {
  await uploads.cancelAll();
  uploads.list = [];
  line.Upload.all = [];
  uploads.open = true;
  studio.answers('GET /api/v1/arriving', []);
});

describe('uploads', () => {
  it('go three at once, in the order of what was dropped', async () => {
    uploads.add({ place: 'films' }, files('a', 'b', 'c', 'd', 'e'));
    await vi.waitFor(() => expect(going()).toEqual(['a', 'b', 'c']));
    of('b').arrives('item-b');
    await vi.waitFor(() => expect(going()).toEqual(['a', 'b', 'c', 'd']));
    expect(stateOf('e')).toBe('queued');
  });

  it('wait for the sign-in where the session has ended, and go on with it, for whoever it was', async () => {
    const told = vi.fn();
    onSignedOut(told);
    await uploads.recall('marit');
    uploads.add({ place: 'films' }, files('a'));
    await vi.waitFor(() => expect(going()).toEqual(['a']));
    of('a').fails(401);
    expect([stateOf('a'), told.mock.calls.length]).toEqual(['waiting', 1]);
    render(Tray);
    expect(screen.getByText(/Your session has ended/)).toBeVisible();
    await uploads.recall('marit');
    await vi.waitFor(() => expect(line.Upload.all.filter((u) => u.started)).toHaveLength(2));
    of('a').fails(401);
    await uploads.recall('jonas');
    expect(stateOf('a')).toBe('waiting');
  });

  it('tell the server where they belong', async () => {
    uploads.add({ place: 'films' }, [{ ...files('a.mov')[0]!, name: 'Cut 1.mov', tags: ['rough', 'for review'] }]);
    await vi.waitFor(() => expect(going()).toHaveLength(1));
    expect(of('a.mov').options.metadata).toEqual({ filename: 'Cut 1.mov', folder: 'Rushes', place: 'films', tags: 'rough\nfor review' }); // prettier-ignore
  });

  it('are not begun twice', async () => {
    uploads.add({ place: 'films' }, files('a', 'b'));
    uploads.add({ place: 'films' }, files('b', 'c'));
    uploads.add({ place: 'guide' }, files('a'));
    expect(uploads.list.map((u) => `${u.place}/${u.name}`)).toEqual(['films/a', 'films/b', 'films/c', 'guide/a']);
  });

  it('say what came of them, once', async () => {
    const made: string[] = [];
    const end = uploads.onFinished((u) => made.push(u.made));
    uploads.add({ place: 'films' }, files('a', 'b'));
    await vi.waitFor(() => expect(going()).toHaveLength(2));
    of('a').arrives('item-a');
    end();
    of('b').arrives('item-b');
    expect(made).toEqual(['item-a']);
    expect(uploads.sent).toBe(20);
  });

  it('wait while the line is down, and go on by themselves', async () => {
    uploads.add({ place: 'films' }, files('a'));
    await vi.waitFor(() => expect(going()).toHaveLength(1));
    of('a').fails(0);
    expect(uploads.list[0]).toMatchObject({ state: 'waiting', problem: 'The line is down; it goes on by itself.' });
    of('a').fails(507);
    expect(uploads.list[0]!.problem).toContain('disk of the studio is full');
    of('a').options.onProgress(4);
    expect(uploads.list[0]).toMatchObject({ state: 'running', problem: '', sent: 4 });
  });

  it('stop at a refusal, with the words of the server, and let the others go on', async () => {
    uploads.add({ place: 'films' }, files('a', 'b', 'c', 'd'));
    await vi.waitFor(() => expect(going()).toHaveLength(3));
    of('a').fails(413, JSON.stringify({ detail: 'There is no room for that. Nothing was saved.' }));
    expect(uploads.list[0]).toMatchObject({
      state: 'failed',
      problem: 'There is no room for that. Nothing was saved.',
    });
    await vi.waitFor(() => expect(going()).toContain('d'));
    of('b').fails(400, '<html>');
    expect(uploads.list[1]!.problem).toBe('It did not go through. What has arrived is kept; try again.');
  });

  it('say when a file changed under the hand', async () => {
    uploads.add({ place: 'films' }, files('a'));
    await vi.waitFor(() => expect(going()).toHaveLength(1));
    of('a').options.onError(Object.assign(new Error('gone'), { name: 'NotReadableError' }));
    expect(uploads.list[0]!.problem).toContain('nothing wrong was saved');
  });

  it('a pause makes room for the next, and what comes late is not heard', async () => {
    uploads.add({ place: 'films' }, files('a', 'b', 'c', 'd'));
    await vi.waitFor(() => expect(going()).toHaveLength(3));
    uploads.pause(uploads.list[0]!.id);
    await vi.waitFor(() => expect(going()).toEqual(['b', 'c', 'd']));
    of('a').options.onProgress(9);
    expect(uploads.list[0]).toMatchObject({ state: 'paused', sent: 0 });
  });
});

describe('the tray', () => {
  it('says that nothing is on its way', () => {
    render(Tray);
    expect(screen.getByText(/Nothing is on its way/)).toBeVisible();
  });

  it('changes the order of what waits', async () => {
    uploads.add({ place: 'films' }, files('a', 'b', 'c', 'd', 'e', 'f'));
    await vi.waitFor(() => expect(going()).toHaveLength(3));
    render(Tray);
    await userEvent.click(screen.getByRole('button', { name: 'Next, f' }));
    expect(uploads.list.map((u) => u.name)).toEqual(['a', 'b', 'c', 'f', 'd', 'e']);
    await userEvent.click(screen.getByRole('button', { name: 'Later, f' }));
    await userEvent.click(screen.getByRole('button', { name: 'Earlier, e' }));
    expect(uploads.list.map((u) => u.name)).toEqual(['a', 'b', 'c', 'd', 'e', 'f']);
    expect(screen.queryByRole('button', { name: 'Next, a' })).toBeNull();
  });

  it('pauses and goes on, each or all', async () => {
    uploads.add({ place: 'films' }, files('a', 'b'));
    await vi.waitFor(() => expect(going()).toHaveLength(2));
    render(Tray);
    await userEvent.click(screen.getByRole('button', { name: 'Pause a' }));
    expect(row('a')).toHaveTextContent('paused');
    await userEvent.click(screen.getByRole('button', { name: 'Go on with a' }));
    await vi.waitFor(() => expect(stateOf('a')).toBe('running'));
    await userEvent.click(screen.getByRole('button', { name: 'Pause all' }));
    expect(uploads.list.map((u) => u.state)).toEqual(['paused', 'paused']);
    await userEvent.click(screen.getByRole('button', { name: 'Go on with all' }));
    await vi.waitFor(() => expect(uploads.list.map((u) => u.state)).toEqual(['running', 'running']));
  });

  it('shows how far each is and how far all are, and ticks off what is there', async () => {
    uploads.add({ place: 'films' }, files('a', 'b'));
    await vi.waitFor(() => expect(going()).toHaveLength(2));
    of('a').options.onProgress(5);
    render(Tray);
    expect(within(row('a')).getByRole('progressbar')).toHaveAttribute('aria-valuenow', '50');
    expect(screen.getByRole('progressbar', { name: 'All uploads' })).toHaveAttribute('aria-valuenow', '25');
    of('a').arrives('item-a');
    await settled();
    expect(within(row('a')).queryByRole('progressbar')).toBeNull();
    expect(screen.getByText('1 of 2 there')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Clear what is there' }));
    expect(screen.queryByTitle('a')).toBeNull();
  });

  it('tries again what failed, and cancels', async () => {
    uploads.add({ place: 'films' }, files('a'));
    await vi.waitFor(() => expect(going()).toHaveLength(1));
    of('a').fails(400);
    render(Tray);
    expect(row('a')).toHaveTextContent('What has arrived is kept; try again.');
    await userEvent.click(screen.getByRole('button', { name: 'Try again with a' }));
    await vi.waitFor(() => expect(stateOf('a')).toBe('running'));
    await userEvent.click(screen.getByRole('button', { name: 'Cancel a' }));
    expect(screen.queryByTitle('a')).toBeNull();
    expect(of('a').aborted).toBe(true);
  });

  it('knows what began before a reload, and goes on when it is chosen again', async () => {
    const begun = {
      name: 'cut.mov',
      size: 10,
      folder: 'Rushes',
      package_id: '',
      place_id: 'films',
      item_id: '',
      tags: ['rough'],
    };
    studio.answers('GET /api/v1/arriving', [begun]);
    const { container } = render(Tray);
    expect(await screen.findByText('1 file')).toBeVisible();
    const chooser = container.querySelector<HTMLInputElement>('[data-choose=again]')!;
    await userEvent.upload(chooser, [new File(['0123456789'], 'cut.mov'), new File(['another'], 'other.mov')]);
    expect(uploads.list.map((u) => [u.name, u.place, u.folder, u.tags.join()])).toEqual([
      ['cut.mov', 'films', 'Rushes', 'rough'],
    ]);
  });
});
