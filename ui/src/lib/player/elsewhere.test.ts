import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import '../../tests/line';
import { elsewhere } from './elsewhere.svelte';
import Elsewhere from './Elsewhere.svelte';

// A media element that plays nothing, but keeps its state as browsers do (HTML, section 4.8.11).
const paused = new WeakMap<HTMLMediaElement, boolean>();
beforeEach(() => {
  const proto = HTMLMediaElement.prototype;
  Object.defineProperty(proto, 'paused', { configurable: true, get(this: HTMLMediaElement) { return paused.get(this) ?? true; } }); // prettier-ignore
  const say = (m: HTMLMediaElement, state: boolean, name: string) => {
    paused.set(m, state);
    m.dispatchEvent(new Event(name));
  };
  proto.play = async function (this: HTMLMediaElement) {
    say(this, false, 'play');
  };
  proto.pause = function (this: HTMLMediaElement) {
    say(this, true, 'pause');
  };
  proto.load = () => undefined;
});
afterEach(() => elsewhere.end());

const viewing = () => ({ at: vi.fn(), stop: vi.fn(), leave: vi.fn() });
function begin(more: object = {}) {
  const media = document.createElement('audio');
  media.src = '/look/theme/proxy';
  paused.set(media, false);
  elsewhere.keep({ media, version: 'v1', name: 'theme.wav', href: '/room?item=theme', live: '/api/v1/live', package: 'p1', ...more }); // prettier-ignore
  return media;
}

describe('a sound that goes on elsewhere', () => {
  it('is held, led back to, and ended by hand', async () => {
    render(Elsewhere);
    const seen = viewing();
    const media = begin({ viewing: seen });
    expect(media.isConnected).toBe(true);
    expect(await screen.findByRole('link', { name: 'theme.wav' })).toHaveAttribute('href', '/room?item=theme');
    media.dispatchEvent(new Event('timeupdate'));
    expect(seen.at).toHaveBeenLastCalledWith(0, true);
    await userEvent.click(screen.getByRole('button', { name: 'Pause' }));
    expect(seen.stop).toHaveBeenCalled();
    await userEvent.click(await screen.findByRole('button', { name: 'Play' }));
    expect(media.paused).toBe(false);
    await userEvent.click(screen.getByRole('button', { name: 'End theme.wav' }));
    expect(screen.queryByRole('link')).toBeNull();
    expect([media.isConnected, media.paused, seen.leave.mock.calls.length]).toEqual([false, true, 1]);
  });

  it('goes on in the screen that shows it again, and in no other', () => {
    begin();
    expect(elsewhere.take('v2')).toBeUndefined();
    expect(elsewhere.take('v1')).toEqual({ at: 0, plays: true });
    expect(elsewhere.take('v1')).toBeUndefined();
  });

  it('ends when something else plays, when another is kept, and at its own end', () => {
    const first = begin();
    const other = document.body.appendChild(document.createElement('video'));
    void other.play();
    expect(elsewhere.sound).toBeUndefined();
    const second = begin();
    const third = begin();
    expect([first.isConnected, second.isConnected, third.isConnected]).toEqual([false, false, true]);
    third.dispatchEvent(new Event('ended'));
    expect(elsewhere.sound).toBeUndefined();
    other.remove();
  });

  it('ends when it is not given any more, and not when the line is lost', async () => {
    begin();
    const answer = vi.spyOn(globalThis, 'fetch').mockRejectedValueOnce(new TypeError('no line'));
    await elsewhere.still();
    expect(elsewhere.sound).toBeDefined();
    answer.mockResolvedValueOnce(new Response('', { status: 200 }));
    await elsewhere.still();
    expect(elsewhere.sound).toBeDefined();
    answer.mockResolvedValueOnce(new Response('', { status: 410 }));
    await elsewhere.still();
    expect(elsewhere.sound).toBeUndefined();
    answer.mockRestore();
  });
});
