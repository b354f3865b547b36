import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { present } from './inside';

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

it('tells that somebody is here while the page is in front, and not after they have gone', () => {
  const asked = vi.fn(() => Promise.resolve(new Response()));
  vi.stubGlobal('fetch', asked);
  let shown = 'visible';
  vi.spyOn(document, 'visibilityState', 'get').mockImplementation(() => shown as DocumentVisibilityState);
  const end = present('abc');
  expect(asked).toHaveBeenCalledWith('/api/v1/r/abc/here', { method: 'POST' });
  vi.advanceTimersByTime(20_000);
  expect(asked).toHaveBeenCalledTimes(2);
  shown = 'hidden';
  vi.advanceTimersByTime(60_000);
  document.dispatchEvent(new Event('visibilitychange'));
  expect(asked).toHaveBeenCalledTimes(2);
  shown = 'visible';
  document.dispatchEvent(new Event('visibilitychange'));
  expect(asked).toHaveBeenCalledTimes(3);
  end();
  vi.advanceTimersByTime(60_000);
  document.dispatchEvent(new Event('visibilitychange'));
  expect(asked).toHaveBeenCalledTimes(3);
});
