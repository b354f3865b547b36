<!--
  Plays the proxy of a film or sound. It knows the frame on screen, moves by
  frames, and tells which seconds really played. What it does lies in Transport.
-->
<script lang="ts">
  import type { Item } from '$api/client';
  import { fetched } from '$lib/fetched.svelte';
  import { clock, label, short, timelineOf } from '$lib/timecode';
  import Menu from '$lib/ui/Menu.svelte';
  import Waveform from '$lib/ui/Waveform.svelte';
  import { untrack, type Snippet } from 'svelte';
  import Filmstrip from './Filmstrip.svelte';
  import { loudest } from './peaks';
  import Readout from './Readout.svelte';
  import { speeds, Transport } from './transport.svelte';
  import type { Viewing } from './viewing';

  interface Props {
    item: Pick<Item, 'name' | 'what' | 'look' | 'facts' | 'made'>;
    /** keeps what of it is played, where that is of interest */
    viewing?: Viewing | undefined;
    started?: () => void;
    ended?: () => void;
    /** takes over what plays when this screen goes, where it is a sound */
    keep?: ((media: HTMLMediaElement) => void) | undefined;
    /** in the Room: as large as there is room, with all that one works with */
    room?: boolean;
    /** for whoever watches and does not work on it: minutes and seconds, no frames */
    plain?: boolean;
    transport?: Transport;
    /** which place in words: timecode, frames or clock */
    counts?: 'timecode' | 'frames' | 'clock';
    /** what lies over the picture */
    children?: Snippet;
  }
  let {
    item,
    viewing,
    started,
    ended,
    keep,
    room = false,
    plain = false,
    transport = new Transport(),
    counts = $bindable('timecode'),
    children,
  }: Props = $props();

  const t = untrack(() => transport);
  let failed = $state('');
  let pointed = $state(-1);
  let small = $state(false);
  let stage = $state<HTMLElement>();
  let readout = $state<ReturnType<typeof Readout>>();
  let peaks = $state.raw<number[]>(untrack(() => item.facts.peaks ?? []));

  const line = $derived(timelineOf(item.facts));
  $effect.pre(() => t.show({ line, frames: item.facts.frames || Infinity, length: (item.facts.length_us ?? 0) / 1e6 }));
  $effect(() => t.watch());
  t.sees = (at, plays) => viewing?.at(at, plays);

  const say = (seconds: number, frame: number) => {
    if (plain) return short(seconds);
    if (!line || counts === 'clock') return clock(seconds);
    return counts === 'frames' ? `f ${frame}` : label(line, frame);
  };
  const words = $derived(say(t.seconds, t.frame));
  const total = $derived(
    plain ? short(Math.round(t.length)) : say(t.length, Number.isFinite(t.lastFrame) ? t.lastFrame : 0),
  );
  const share = (micros: number | null) => ((micros ?? 0) / 1e6 / (t.length || 1)) * 100;

  /** The place of the player, in microseconds from the first frame: the beginning of the frame on screen. */
  export const place = () => t.place;
  export const timecode = () => words;
  export const seekTo = (micros: number) => t.seek(micros);
  export const toggle = () => t.toggle();
  export const pause = () => t.pause();
  export const step = (frames: number) => t.step(frames);
  export const jump = (by: number) => t.jump(by);
  export const shuttle = (direction: 1 | -1) => t.run(direction);
  export const fullscreen = () => t.fullscreen(item.what === 'film' ? stage : t.media);
  export const typePlace = () => readout?.type();
  export const count = () => {
    const all = line ? (['timecode', 'frames', 'clock'] as const) : (['clock'] as const);
    counts = all[(all.indexOf(counts as never) + 1) % all.length]!;
  };

  const source = $derived(item.look + (small ? 'proxy-small' : 'proxy'));
  function finer(to: boolean) {
    const at = t.seconds;
    const played = !t.paused;
    small = to;
    t.media?.addEventListener('loadedmetadata', () => (t.go(at), played && void t.play()), { once: true });
  }

  // A finer waveform than comes with the facts, where the sound is the picture.
  fetched(
    () => (item.what === 'sound' ? `${item.look}peaks` : ''),
    async (answer) => (peaks = loudest(await answer.arrayBuffer(), 240) ?? peaks),
  );

  let first = true;
  /** a sound that was kept plays on, and none of it is for this screen any more */
  let kept = false;
  const here = (act: () => unknown) => () => void (kept || act());
  const on = {
    onplay: here(() => {
      t.on.play();
      if (first) started?.();
      first = false;
    }),
    onpause: here(() => {
      t.on.pause();
      viewing?.stop();
    }),
    onended: here(() => {
      viewing?.stop();
      ended?.();
    }),
    onseeking: here(() => viewing?.stop(false)),
    onseeked: here(() => t.on.seeked()),
    ontimeupdate: here(() => t.on.timeupdate()),
    onloadedmetadata: here(() => t.on.loadedmetadata()),
    onerror: () =>
      (failed = `The ${item.what === 'sound' ? 'sound' : 'film'} does not play here. The original is not touched by that.`),
  };

  // What it was when it came here: when it goes, the screen may already be of something else.
  const [sound, take] = untrack(() => [item.what === 'sound', keep]);
  $effect(() => {
    const media = t.media;
    return () => {
      if (!take || !sound || !media || media.paused || media.ended) return;
      kept = true;
      t.paused = true;
      take(media);
    };
  });

  // The keys of a keyboard, of headphones, of a locked telephone.
  $effect(() => {
    if (t.paused || !('mediaSession' in navigator)) return;
    const session = navigator.mediaSession;
    session.metadata = new MediaMetadata({ title: item.name });
    session.setActionHandler('play', () => void t.play());
    session.setActionHandler('pause', () => t.pause());
    session.setActionHandler('seekbackward', () => t.jump(-10));
    session.setActionHandler('seekforward', () => t.jump(10));
  });
</script>

<div class="player" class:sound={item.what === 'sound'} class:room>
  <div class="stage" bind:this={stage}>
    {#if item.what === 'sound'}
      <div class="frame">
        <button class="wave" onclick={() => t.toggle()} aria-label="{t.running ? 'Pause' : 'Play'} {item.name}">
          <Waveform {peaks} bars={Math.min(240, peaks.length || 120)} played={t.length ? t.seconds / t.length : 0} />
        </button>
        {@render children?.()}
      </div>
      <audio bind:this={t.media} src={source} preload="metadata" {...on}></audio>
    {:else}
      <div
        class="frame"
        style:--ratio={item.facts.width && item.facts.height ? `${item.facts.width} / ${item.facts.height}` : '16 / 9'}
      >
        <video
          bind:this={t.media}
          src={source}
          poster={item.made.includes('poster') && !room ? `${item.look}poster` : undefined}
          preload={room ? 'auto' : 'metadata'}
          playsinline
          aria-label={item.name}
          onclick={() => t.toggle()}
          {...on}
        ></video>
        {@render children?.()}
        {#if !t.running && t.seconds === 0 && !room}
          <button class="start" onclick={() => t.toggle()} aria-label="Play {item.name}">
            <svg width="22" height="24" viewBox="0 0 22 24" aria-hidden="true"
              ><path d="M2 1.5v21L21 12z" fill="currentColor" /></svg
            >
          </button>
        {/if}
      </div>
    {/if}
  </div>
  <div class="line">
    {#if t.from !== null || t.to !== null}
      <span
        class="span"
        style:left="{share(t.from)}%"
        style:right="{t.to === null ? 0 : 100 - share(t.to)}%"
        aria-hidden="true"
      ></span>
    {/if}
    <input
      class="seek"
      type="range"
      min="0"
      max={t.length || 1}
      step="any"
      value={t.seconds}
      aria-label="Place in {item.name}"
      aria-valuetext={words}
      style:--at="{t.length ? (t.seconds / t.length) * 100 : 0}%"
      oninput={(e) => t.go(Number(e.currentTarget.value))}
      onpointermove={(e) => (pointed = e.offsetX / e.currentTarget.clientWidth)}
      onpointerleave={() => (pointed = -1)}
    />
    {#if item.made.includes('strip') && pointed >= 0}<Filmstrip
        look={item.look}
        share={pointed}
        length={t.length}
      />{/if}
  </div>
  <div class="controls">
    <button class="play" onclick={() => t.toggle()}>{t.running ? 'Pause' : 'Play'}</button>
    {#if plain}<output class="figure" data-timecode>{words}</output>
    {:else}
      <Readout bind:this={readout} transport={t} {words} />
      {#if line}
        <button class="figure muted frame" title="Timecode, frames or clock" onclick={() => count()}
          >{counts === 'frames' ? label(line, t.frame) : `frame ${t.frame}`}</button
        >
      {/if}
    {/if}
    {#if room}
      <span class="keys" role="group" aria-label="Shuttle">
        <button class="key" aria-label="Backwards" aria-pressed={t.shuttle < 0} onclick={() => t.run(-1)}>J</button>
        <button class="key" aria-label="Stop" onclick={() => t.pause()}>K</button>
        <button class="key" aria-label="Forwards" aria-pressed={t.shuttle > 0} onclick={() => t.run(1)}>L</button>
      </span>
      <span class="keys" role="group" aria-label="In and out">
        <button class="key" aria-label="In here" aria-pressed={t.from !== null} onclick={() => t.mark('from')}>I</button
        >
        <button class="key" aria-label="Out here" aria-pressed={t.to !== null} onclick={() => t.mark('to')}>O</button>
        <button class="key" aria-pressed={t.loop} onclick={() => (t.loop = !t.loop)}>Loop</button>
      </span>
    {/if}
    <span class="figure muted total">{room ? 'of ' : ''}{total}</span>
    {#if !plain}
      <Menu
        name="{t.shuttle || t.speed}×"
        label="Speed, {t.shuttle || t.speed} times"
        side="top-start"
        acts={speeds.map((s) => ({ name: `${s}×`, do: () => t.setSpeed(s) }))}
      />
      {#if item.made.includes('proxy-small')}
        <button class="word" aria-pressed={small} title="For a thin line" onclick={() => finer(!small)}>Small</button>
      {/if}
    {/if}
    <label class="volume"
      ><span class="visually-hidden">Volume</span><input
        type="range"
        min="0"
        max="1"
        step="0.05"
        value={t.muted ? 0 : t.volume}
        oninput={(e) => t.setVolume(Number(e.currentTarget.value))}
      /></label
    >
    {#if item.what === 'film' && !plain}
      <button class="word window" title="A small window over the others" onclick={() => t.window()}>Window</button>
      <button class="word" onclick={() => fullscreen()}>Full</button>
    {/if}
  </div>
  {#if failed}<p class="problem" role="alert">{failed}</p>{/if}
</div>

<style>
  .player {
    position: relative;
  }
  .frame {
    position: relative;
  }
  video {
    display: block;
    width: 100%;
    max-height: 68vh;
    aspect-ratio: var(--ratio);
    background: var(--black);
    border-radius: var(--radius) var(--radius) 0 0;
  }
  .stage:fullscreen {
    display: grid;
    place-items: center;
    background: var(--black);
  }
  .stage:fullscreen .frame {
    height: auto;
    width: min(100vw, calc(100vh * (var(--ratio))));
  }
  .stage:fullscreen video {
    max-height: none;
  }

  /* In the Room the picture is as large as its shape lets it be in what is left of the window. */
  .room {
    display: flex;
    flex-direction: column;
    flex: 1;
    min-height: 0;
  }
  .room .stage {
    container-type: size;
    display: grid;
    place-items: center;
    flex: 1;
    min-height: 0;
  }
  .room .frame {
    width: min(100%, calc(100cqh * (var(--ratio))));
  }
  .room video {
    max-height: none;
    border-radius: 0;
  }
  .room.sound .frame {
    width: 100%;
    height: 100%;
  }
  .room .wave {
    height: 100%;
  }
  .wave {
    display: block;
    width: 100%;
    height: 150px;
    padding: var(--s-6) var(--s-5);
    --behind: var(--empty);
    background: var(--behind);
    border-radius: var(--radius) var(--radius) 0 0;
  }
  .start {
    position: absolute;
    top: calc(50% - 32px);
    left: calc(50% - 32px);
    width: 64px;
    height: 64px;
    border-radius: 50%;
    background: var(--paper);
    color: var(--paper-ink);
    display: grid;
    place-items: center;
    padding-left: var(--s-1);
  }
  .start:hover {
    background: var(--white);
  }
  .line {
    position: relative;
  }
  .span {
    position: absolute;
    top: 3px;
    bottom: 3px;
    min-width: 2px;
    background: var(--late-faint);
    border: solid var(--late);
    border-width: 0 2px;
    pointer-events: none;
  }
  .seek {
    appearance: none;
    position: relative;
    display: block;
    width: 100%;
    height: 24px;
    margin: 0;
    background:
      linear-gradient(var(--main), var(--main)) 0 50% / var(--at) 4px no-repeat,
      linear-gradient(var(--perforation), var(--perforation)) 0 50% / 100% 4px no-repeat;
    cursor: pointer;
  }
  .seek::-webkit-slider-thumb {
    appearance: none;
    width: 4px;
    height: 14px;
    background: var(--ink);
  }
  .seek::-moz-range-thumb {
    width: 4px;
    height: 14px;
    border: 0;
    border-radius: 0;
    background: var(--ink);
  }
  .controls {
    display: flex;
    align-items: center;
    gap: var(--s-5);
    min-height: 38px;
  }
  .room .controls :global(.now) {
    font-size: var(--t-large);
  }
  .play {
    font-weight: 600;
    min-width: 52px;
    min-height: 30px;
    text-align: left;
    color: var(--main);
  }
  .frame.figure,
  .word,
  .controls :global(.menu-of > .button) {
    min-height: 30px;
    white-space: nowrap;
    font-size: var(--t-small);
  }
  .controls :global(.menu-of > .button) {
    font-family: var(--font-mono);
    padding-inline: var(--s-3);
  }
  .word {
    color: var(--muted);
  }
  .word:hover {
    color: var(--ink);
  }
  .word[aria-pressed='true'] {
    color: var(--main);
  }
  .keys {
    display: flex;
    gap: var(--s-1);
  }
  .keys .key {
    min-width: 26px;
    min-height: 24px;
  }
  .keys [aria-pressed='true'] {
    background: var(--late);
    border-color: var(--late);
    color: var(--on-main);
  }
  .total {
    margin-left: auto;
    white-space: nowrap;
    font-size: var(--t-small);
  }
  .volume input {
    width: 72px;
    accent-color: var(--main);
    display: block;
  }
  @media (--phone) {
    .frame.figure,
    .volume,
    .window,
    .room .total,
    .keys {
      display: none;
    }
    .room .controls :global(.menu-of) {
      margin-left: auto;
    }
  }
</style>
