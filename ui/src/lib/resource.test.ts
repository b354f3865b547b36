import { describe, expect, it, vi } from 'vitest';
import { Problem } from '$api/client';
import { Resource } from './resource.svelte';

const later = <T>() => {
  let give!: (value: T) => void;
  const promise = new Promise<T>((resolve) => (give = resolve));
  return { promise, give };
};

describe('what a screen shows of the server', () => {
  it('drops an answer that was overtaken', async () => {
    const [slow, fast] = [later<string>(), later<string>()];
    const ask = vi.fn().mockReturnValueOnce(slow.promise).mockReturnValueOnce(fast.promise);
    const shown = new Resource<string>(ask);
    const both = [shown.load(), shown.load()];
    fast.give('new');
    slow.give('old');
    await Promise.all(both);
    expect(shown.value).toBe('new');
  });

  it('shows each answer that comes in its turn, where it is asked again before one is there', async () => {
    const [one, two, three] = [later<string>(), later<string>(), later<string>()];
    const ask = vi.fn().mockReturnValueOnce(one.promise).mockReturnValueOnce(two.promise).mockReturnValueOnce(three.promise); // prettier-ignore
    const shown = new Resource<string>(ask);
    const first = shown.load();
    const all = [first, shown.load(), shown.load()];
    one.give('one');
    await first;
    expect(shown.value).toBe('one');
    three.give('three');
    two.give('two');
    await Promise.all(all);
    expect(shown.value).toBe('three');
  });

  it('keeps what is on screen while it is asked again, and when that fails', async () => {
    const ask = vi.fn().mockResolvedValueOnce('here').mockRejectedValueOnce(new Problem('The studio does not answer.', 0, 'unreachable')).mockResolvedValueOnce('again'); // prettier-ignore
    const shown = new Resource<string>(ask);
    expect(shown.waits).toBe(true);
    await shown.load();
    const second = shown.load();
    expect(shown.value).toBe('here');
    await second;
    expect([shown.value, shown.problem]).toEqual(['here', 'The studio does not answer.']);
    await shown.load();
    expect([shown.value, shown.problem]).toEqual(['again', '']);
  });

  it('forgets what is shown for another, also what is still on its way', async () => {
    const slow = later<string>();
    const shown = new Resource<string>(() => slow.promise);
    const load = shown.load();
    shown.clear();
    slow.give('of the one before');
    await load;
    expect(shown.value).toBeUndefined();
  });
});
