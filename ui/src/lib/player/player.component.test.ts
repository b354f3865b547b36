import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { item } from '../../tests/made';
import Player from './Player.svelte';
import { Transport } from './transport.svelte';

// A media element that plays nothing, but keeps its place and its state as browsers do (HTML, section 4.8.11).
beforeEach(() => {
  const proto = HTMLMediaElement.prototype as unknown as Record<string, unknown>;
  const state = new WeakMap<HTMLMediaElement, { paused: boolean; at: number }>();
  const of = (m: HTMLMediaElement) => {
    if (!state.has(m)) state.set(m, { paused: true, at: 0 });
    return state.get(m)!;
  };
  proto.play = async function (this: HTMLMediaElement) {
    of(this).paused = false;
    this.dispatchEvent(new Event('play'));
  };
  proto.pause = function (this: HTMLMediaElement) {
    if (of(this).paused) return;
    of(this).paused = true;
    this.dispatchEvent(new Event('pause'));
  };
  const define = (
    name: string,
    get: (m: HTMLMediaElement) => unknown,
    set?: (m: HTMLMediaElement, to: never) => void,
  ) =>
    Object.defineProperty(HTMLMediaElement.prototype, name, {
      configurable: true,
      get(this: HTMLMediaElement) {
        return get(this);
      },
      set(this: HTMLMediaElement, to: never) {
        set?.(this, to);
      },
    });
  define('paused', (m) => of(m).paused);
  define(
    'currentTime',
    (m) => of(m).at,
    (m, to) => {
      of(m).at = to;
      m.dispatchEvent(new Event('seeked'));
    },
  );
});

const film = item('cut.mov', {
  what: 'film',
  made: ['proxy'],
  facts: {
    rate_num: 25,
    rate_den: 1,
    frames: 1875,
    length_us: 75_000_000,
    start: { Hours: 10, Minutes: 0, Seconds: 0, Frames: 0 },
  } as never,
});
function show(more: object = {}) {
  const acts = { started: vi.fn() };
  const viewing = { at: vi.fn(), stop: vi.fn() };
  const { component, container, unmount } = render(Player, { item: film, viewing: viewing as never, ...acts, ...more });
  const media = container.querySelector<HTMLVideoElement>('video, audio')!;
  return { player: component, media, viewing, unmount, ...acts };
}
const timecode = () => document.querySelector('[data-timecode]')!.textContent;

describe('the player', () => {
  it('shows the timecode of the piece and of its last frame', () => {
    show();
    expect(timecode()).toBe('10:00:00:00');
    expect(screen.getByText('10:01:14:24')).toBeVisible();
  });

  it('moves by frames and stays in the piece', async () => {
    const { player } = show();
    player.step(1);
    await vi.waitFor(() => expect(timecode()).toBe('10:00:00:01'));
    expect(player.place()).toBe(40_000);
    player.step(-5);
    await vi.waitFor(() => expect(timecode()).toBe('10:00:00:00'));
    player.step(10_000);
    await vi.waitFor(() => expect(timecode()).toBe('10:01:14:24'));
  });

  it('comes back to the place that it gave', async () => {
    const { player } = show();
    player.seekTo(41_480_000);
    await vi.waitFor(() => expect(timecode()).toBe('10:00:41:12'));
    expect(player.place()).toBe(41_480_000);
  });

  it('counts 29.97 with dropped frames as the trade does', async () => {
    // Source: SMPTE ST 12-1, drop-frame counting: frame 1800 is 00:01:00;02.
    const facts = { rate_num: 30000, rate_den: 1001, drop: true, frames: 4000, length_us: 133_466_666 };
    const { player } = show({ item: { ...film, facts } });
    player.step(1800);
    await vi.waitFor(() => expect(timecode()).toBe('00:01:00;02'));
  });

  it('plays and pauses by the button, and says once that it began', async () => {
    const { media, started } = show();
    await userEvent.click(screen.getByRole('button', { name: 'Play' }));
    expect(media.paused).toBe(false);
    await userEvent.click(screen.getByRole('button', { name: 'Pause' }));
    await userEvent.click(screen.getByRole('button', { name: 'Play' }));
    expect(started).toHaveBeenCalledTimes(1);
  });

  it('goes faster by doubling, up to eight times; the other way stops it', () => {
    const { player, media } = show();
    for (const rate of [1, 2, 4, 8, 8]) {
      player.shuttle(1);
      expect(media.playbackRate).toBe(rate);
    }
    player.shuttle(-1);
    expect(media.paused).toBe(true);
    expect(media.playbackRate).toBe(1);
  });

  it('runs backwards by stepping, and stops at the beginning', async () => {
    vi.useFakeTimers();
    try {
      const { player, media } = show();
      player.seekTo(2_000_000);
      player.shuttle(-1);
      vi.advanceTimersByTime(1000);
      expect(media.currentTime).toBeGreaterThan(0.8);
      expect(media.currentTime).toBeLessThan(1.2);
      player.shuttle(-1);
      vi.advanceTimersByTime(1000);
      expect(player.place()).toBe(0);
      const at = media.currentTime;
      vi.advanceTimersByTime(1000);
      expect(media.currentTime).toBe(at);
    } finally {
      vi.useRealTimers();
    }
  });

  it('goes where one types, and says where there is no such place', async () => {
    show();
    await userEvent.click(screen.getByRole('button', { name: /Go to another place/ }));
    await userEvent.keyboard('10:00:41:12{Enter}');
    expect(timecode()).toBe('10:00:41:12');
    await userEvent.click(screen.getByRole('button', { name: /Go to another place/ }));
    await userEvent.keyboard('+13{Enter}');
    expect(timecode()).toBe('10:00:42:00');
    await userEvent.click(screen.getByRole('button', { name: /Go to another place/ }));
    await userEvent.keyboard('nowhere{Enter}');
    expect(screen.getByRole('alert')).toHaveTextContent('There is no such place in it.');
    await userEvent.keyboard('{Escape}');
    expect(timecode()).toBe('10:00:42:00');
  });

  it('repeats from in to out', async () => {
    const transport = new Transport();
    const { media } = show({ transport });
    transport.toFrame(50);
    transport.mark('from');
    transport.toFrame(75);
    transport.mark('to');
    transport.loop = true;
    await media.play();
    media.currentTime = 3.03;
    media.dispatchEvent(new Event('timeupdate'));
    expect(transport.frame).toBe(75);
    media.currentTime = 3.05;
    media.dispatchEvent(new Event('timeupdate'));
    expect(transport.frame).toBe(50);
    expect(media.paused).toBe(false);
    transport.toFrame(20);
    transport.mark('to');
    expect([transport.from, transport.to]).toEqual([null, 800_000]);
  });

  it('tells what plays, and that it stopped or jumped', async () => {
    const { player, media, viewing } = show();
    await media.play();
    media.currentTime = 1.5;
    media.dispatchEvent(new Event('timeupdate'));
    expect(viewing.at).toHaveBeenLastCalledWith(1.5, true);
    media.dispatchEvent(new Event('seeking'));
    expect(viewing.stop).toHaveBeenLastCalledWith(false);
    player.pause();
    expect(viewing.stop).toHaveBeenLastCalledWith();
    media.dispatchEvent(new Event('timeupdate'));
    expect(viewing.at).toHaveBeenLastCalledWith(1.5, false);
    media.dispatchEvent(new Event('ended'));
    expect(viewing.stop).toHaveBeenCalledTimes(3);
  });

  it('says that a film does not play, and that the original is whole', async () => {
    const { media } = show();
    media.dispatchEvent(new Event('error'));
    expect(await screen.findByRole('alert')).toHaveTextContent('The original is not touched by that.');
  });
});
