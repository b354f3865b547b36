import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { studio } from '../../tests/studio';

// What the browser keeps, and which pages are alive, in the hands of the tests. The journeys have the real ones.
const kept = vi.hoisted(() => new Map<string, { page: string; at: number; key: string }>());
vi.mock('idb-keyval', () => ({
  createStore: () => undefined,
  entries: async () => [...kept],
  setMany: async (list: [string, never][]) => list.forEach(([key, value]) => kept.set(key, value)),
  delMany: async (keys: string[]) => keys.forEach((key) => kept.delete(key)),
}));
const locks = new Set<string>();
vi.stubGlobal('indexedDB', {});
Object.defineProperty(navigator, 'locks', {
  value: {
    request: async (name: string, call: () => unknown) => {
      locks.add(name);
      const result = await call();
      locks.delete(name);
      return result;
    },
    query: async () => ({ held: [...locks].map((name) => ({ name })) }),
  },
});
const started = vi.hoisted(() => [] as string[]);
vi.mock('tus-js-client', () => ({
  Upload: class {
    constructor(
      readonly file: File,
      readonly options: { onUploadUrlAvailable: () => void },
    ) {}
    findPreviousUploads = async () => [];
    abort = async () => undefined;
    start() {
      started.push(this.file.name);
      this.options.onUploadUrlAvailable();
    }
  },
}));

import { uploads } from '$lib/uploads.svelte';
import Tray from './Tray.svelte';

const found = (
  name: string,
  permission: PermissionState = 'granted',
  file: File | null = new File(['0123456789'], name, { lastModified: 7 }),
) => {
  // prettier-ignore
  let now = permission;
  const handle = {
    name,
    queryPermission: async () => now,
    requestPermission: async () => (now = now === 'prompt' ? 'granted' : now),
    getFile: async () => {
      if (!file) throw new DOMException('gone', 'NotFoundError');
      return file;
    },
  } as unknown as FileSystemFileHandle;
  const was = new File(['0123456789'], name, { lastModified: 7 });
  return { file: was, folder: 'Rushes', source: { handle, root: handle } };
};
const states = () => uploads.list.map((u) => `${u.name} ${u.state}`);

/** As if the page had been left and another had come. */
async function leave() {
  await new Promise((settled) => setTimeout(settled));
  for (const k of kept.values()) k.page = 'gone';
  uploads.list = [];
  started.length = 0;
}

beforeEach(async () => {
  await uploads.cancelAll();
  uploads.list = [];
  uploads.lost = [];
  uploads.open = false;
  kept.clear();
  started.length = 0;
  studio.answers('GET /api/v1/arriving', []);
  await uploads.recall('marit');
});

describe('after a reload', () => {
  it('uploads go on by themselves, in their order, where the browser lets them', async () => {
    uploads.add(
      { place: 'films' },
      ['a', 'b', 'c', 'd', 'e'].map((name) => found(name)),
    );
    await vi.waitFor(() => expect(started).toHaveLength(3));
    uploads.first(uploads.list[4]!.id);
    await leave();
    await uploads.recall('marit');
    expect(uploads.list.map((u) => u.name).join('')).toBe('abced');
    await vi.waitFor(() => expect(started).toEqual(['a', 'b', 'c']));
    expect(uploads.list[0]).toMatchObject({ place: 'films', folder: 'Rushes' });
    expect(uploads.open).toBe(true);
  });

  it('what was paused stays paused, and what was cancelled is forgotten', async () => {
    uploads.add({ place: 'films' }, [found('a'), found('b')]);
    uploads.pause(uploads.list[0]!.id);
    await uploads.cancel(uploads.list[1]!.id);
    await vi.waitFor(() => expect(kept.size).toBe(1));
    await leave();
    await uploads.recall('marit');
    expect(states()).toEqual(['a paused']);
  });

  it('only the member whose they are has them, and only once the page is gone', async () => {
    uploads.add({ place: 'films' }, [found('a')]);
    await vi.waitFor(() => expect(kept.size).toBe(1));
    await uploads.recall('marit');
    expect(uploads.list).toHaveLength(1);
    await leave();
    await uploads.recall('jonas');
    expect(uploads.list).toEqual([]);
    await uploads.recall('marit');
    expect(uploads.list).toHaveLength(1);
  });

  it('a press is enough where the browser wants to be asked', async () => {
    uploads.add({ place: 'films' }, [found('a', 'prompt'), found('b', 'denied'), found('c', 'prompt')]);
    await leave();
    await uploads.recall('marit');
    render(Tray);
    expect(screen.getByText('3 files wait')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Go on' }));
    // What is refused stops there: one question after another would only be in the way.
    await vi.waitFor(() => expect(states()).toEqual(['a running']));
    expect(screen.getByText('2 files wait')).toBeVisible();
    await userEvent.click(screen.getByRole('button', { name: 'Let go of them' }));
    await vi.waitFor(() => expect([...kept.keys()].map((key) => key.split('\n').at(-2))).toEqual(['a']));
    expect(screen.queryByText(/since this page was left/)).toBeNull();
  });

  it('what is chosen again is not sent a second time', async () => {
    uploads.add({ place: 'films' }, [found('a', 'prompt'), found('b', 'prompt')]);
    await leave();
    await uploads.recall('marit');
    const { file, folder } = found('a');
    uploads.add({ place: 'films' }, [{ file, folder }]);
    expect(uploads.held.map((k) => k.name)).toEqual(['b']);
    await uploads.cancel(uploads.list[0]!.id);
    await vi.waitFor(() => expect([...kept.keys()].map((key) => key.split('\n').at(-2))).toEqual(['b']));
  });

  it('a file that has changed, or is gone, is said and not sent', async () => {
    const changed = new File(['another'], 'a', { lastModified: 8 });
    uploads.add({ place: 'films' }, [found('a', 'granted', changed), found('b', 'granted', null)]);
    await leave();
    await uploads.recall('marit');
    render(Tray);
    expect(states()).toEqual(['a failed']);
    expect(screen.getByText(/The file has changed since/)).toBeVisible();
    expect(screen.getByText(/^b\s+is no longer where it was/)).toBeVisible();
    expect(started).toEqual([]);
    await userEvent.click(screen.getByRole('button', { name: 'Try again with a' }));
    await vi.waitFor(() => expect(started).toEqual(['a']));
    await userEvent.click(screen.getByRole('button', { name: 'Understood' }));
    expect(screen.queryByText(/no longer where/)).toBeNull();
  });

  it('is forgotten after a week, as the server does', async () => {
    uploads.add({ place: 'films' }, [found('a')]);
    await leave();
    for (const k of kept.values()) k.at -= 8 * 86_400_000;
    await uploads.recall('marit');
    expect(uploads.list).toEqual([]);
    expect(kept.size).toBe(0);
  });
});
