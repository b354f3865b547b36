<!--
  Plays the proxy of a film or sound. It knows the frame on screen, moves by
  frames, and tells which seconds really played.
-->
<script lang="ts">
  import type { Item } from '$api/client';
  import { clock, frameAt, inside, label, short, timelineOf } from '$lib/timecode';
  import Waveform from '$lib/ui/Waveform.svelte';
  import Filmstrip from './Filmstrip.svelte';
  import { loudest } from './peaks';
  import type { Viewing } from './viewing';

  interface Props {
    item: Pick<Item, 'name' | 'what' | 'look' | 'facts' | 'made'>;
    /** keeps what of it is played, where that is of interest */
    viewing?: Viewing | undefined;
    started?: () => void;
    ended?: () => void;
    tall?: boolean;
    /** for whoever watches and does not work on it: minutes and seconds, no frames */
    plain?: boolean;
  }
  let { item, viewing, started, ended, tall = false, plain = false }: Props = $props();

  let media = $state<HTMLMediaElement>();
  let seconds = $state(0);
  let duration = $state(0);
  let paused = $state(true);
  let rate = $state(1);
  let failed = $state('');
  let pointed = $state(-1);

  let fine = $state.raw<number[] | null>(null);
  const peaks = $derived(fine ?? item.facts.peaks ?? []);
  const line = $derived(timelineOf(item.facts));
  const length = $derived(duration || (item.facts.length_us ?? 0) / 1_000_000);
  const frame = $derived(line ? frameAt(line, seconds) : 0);
  const lastFrame = $derived(item.facts.frames ? item.facts.frames - 1 : Infinity);
  const words = $derived(plain ? short(seconds) : line ? label(line, Math.min(frame, lastFrame)) : clock(seconds));
  const total = $derived(
    plain ? short(Math.round(length)) : line && item.facts.frames ? label(line, item.facts.frames - 1) : clock(length),
  );

  /** The place of the player, in microseconds from the first frame: the beginning of the frame on screen. */
  export function place(): number {
    if (!line) return Math.round(seconds * 1_000_000);
    return Math.ceil(
      (Math.min(frameAt(line, media?.currentTime ?? seconds), lastFrame) * line.den * 1_000_000) / line.num,
    );
  }
  export function timecode(): string {
    return words;
  }
  export function seekTo(micros: number) {
    pause();
    go(line ? inside(line, frameAt(line, micros / 1_000_000)) : micros / 1_000_000);
  }
  export function toggle() {
    if (!media) return;
    if (media.paused) void media.play().catch(() => undefined);
    else media.pause();
  }
  export function pause() {
    media?.pause();
  }
  export function step(frames: number) {
    if (!media) return;
    pause();
    if (line) go(inside(line, Math.max(0, Math.min(frameAt(line, media.currentTime) + frames, lastFrame))));
    else go(media.currentTime + frames * 0.04);
  }
  export function jump(by: number) {
    if (media) go(media.currentTime + by);
  }
  export function shuttle(direction: 1 | -1) {
    if (!media) return;
    if (direction < 0 && media.playbackRate <= 1) return jump(-2);
    media.playbackRate = Math.min(
      4,
      Math.max(0.5, media.playbackRate * (direction > 0 && !media.paused ? 2 : direction > 0 ? 1 : 0.5)),
    );
    if (media.paused) void media.play().catch(() => undefined);
  }
  export function fullscreen() {
    void (document.fullscreenElement ? document.exitFullscreen() : media?.requestFullscreen());
  }

  function go(to: number) {
    if (!media) return;
    media.currentTime = Math.max(0, Math.min(to, length));
    seconds = media.currentTime;
  }

  // The time of the frame that is really shown, where the browser tells it.
  $effect(() => {
    if (!(media instanceof HTMLVideoElement) || !('requestVideoFrameCallback' in media)) return;
    const video = media;
    let handle = 0;
    const shown: VideoFrameRequestCallback = (_, meta) => {
      seconds = meta.mediaTime;
      sees(seconds);
      handle = video.requestVideoFrameCallback(shown);
    };
    handle = video.requestVideoFrameCallback(shown);
    return () => video.cancelVideoFrameCallback(handle);
  });

  const sees = (at: number) => viewing?.at(at, !!media && !media.paused && !media.seeking);
  function rests() {
    viewing?.stop();
  }

  // A finer waveform than comes with the facts, where the sound is the picture.
  $effect(() => {
    if (item.what !== 'sound') return;
    void fetch(`${item.look}peaks`).then(async (answer) => {
      if (answer.ok) fine = loudest(await answer.arrayBuffer(), 240);
    });
  });

  let first = true;
  function began() {
    paused = false;
    if (first) started?.();
    first = false;
  }
</script>

<div class="player" class:sound={item.what === 'sound'} class:tall>
  {#if item.what === 'sound'}
    <button class="wave" onclick={toggle} aria-label="{paused ? 'Play' : 'Pause'} {item.name}">
      <Waveform {peaks} bars={Math.min(240, peaks.length || 120)} played={length ? seconds / length : 0} />
    </button>
    <audio
      bind:this={media}
      src="{item.look}proxy"
      preload="metadata"
      onplay={began}
      onpause={() => ((paused = true), rests())}
      onended={() => (rests(), ended?.())}
      onseeking={() => viewing?.stop(false)}
      ontimeupdate={() => sees((seconds = media!.currentTime))}
      onratechange={() => (rate = media!.playbackRate)}
      onloadedmetadata={() => (duration = media!.duration)}
      onerror={() => (failed = 'The sound does not play here. The original is not touched by that.')}
    ></audio>
  {:else}
    <!-- svelte-ignore a11y_media_has_caption (what a client sent for review brings none) -->
    <video
      bind:this={media}
      src="{item.look}proxy"
      poster={item.made.includes('poster') ? `${item.look}poster` : undefined}
      preload="metadata"
      playsinline
      style:aspect-ratio={item.facts.width && item.facts.height
        ? `${item.facts.width} / ${item.facts.height}`
        : undefined}
      aria-label={item.name}
      onclick={toggle}
      onplay={began}
      onpause={() => ((paused = true), rests())}
      onended={() => (rests(), ended?.())}
      onseeking={() => viewing?.stop(false)}
      onseeked={() => (seconds = media!.currentTime)}
      ontimeupdate={() => !('requestVideoFrameCallback' in media!) && sees((seconds = media!.currentTime))}
      onratechange={() => (rate = media!.playbackRate)}
      onloadedmetadata={() => (duration = media!.duration)}
      onerror={() => (failed = 'The film does not play here. The original is not touched by that.')}
    ></video>
    {#if paused && seconds === 0}
      <button class="start" onclick={toggle} aria-label="Play {item.name}">
        <svg width="22" height="24" viewBox="0 0 22 24" aria-hidden="true"
          ><path d="M2 1.5v21L21 12z" fill="currentColor" /></svg
        >
      </button>
    {/if}
  {/if}
  <div class="line">
    <input
      class="seek"
      type="range"
      min="0"
      max={length || 1}
      step="any"
      value={seconds}
      aria-label="Place in {item.name}"
      aria-valuetext={words}
      style:--at="{length ? (seconds / length) * 100 : 0}%"
      oninput={(e) => go(Number(e.currentTarget.value))}
      onpointermove={(e) => (pointed = e.offsetX / e.currentTarget.clientWidth)}
      onpointerleave={() => (pointed = -1)}
    />
    {#if item.made.includes('strip') && pointed >= 0}<Filmstrip look={item.look} share={pointed} {length} />{/if}
  </div>
  <div class="controls">
    <button class="play" onclick={toggle}>{paused ? 'Play' : 'Pause'}</button>
    <output class="figure now" data-timecode>{words}</output>
    {#if line && !plain}<span class="figure muted frame">frame {Math.min(frame, lastFrame)}</span>{/if}
    {#if rate !== 1}<span class="figure">{rate}×</span>{/if}
    <span class="figure muted total">{total}</span>
    <label class="volume"
      ><span class="visually-hidden">Volume</span><input
        type="range"
        min="0"
        max="1"
        step="0.05"
        value="1"
        oninput={(e) => media && (media.volume = Number(e.currentTarget.value))}
      /></label
    >
  </div>
  {#if failed}<p class="problem" role="alert">{failed}</p>{/if}
</div>

<style>
  .player {
    position: relative;
  }
  video {
    display: block;
    width: 100%;
    max-height: 68vh;
    background: var(--black);
    border-radius: var(--radius) var(--radius) 0 0;
  }
  .tall video {
    max-height: calc(100vh - 330px);
    min-height: 260px;
  }
  .wave {
    display: block;
    width: 100%;
    height: 150px;
    padding: var(--s-6) var(--s-5);
    background: var(--empty);
    border-radius: var(--radius) var(--radius) 0 0;
  }
  .start {
    position: absolute;
    top: calc(50% - 60px);
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
  .seek {
    appearance: none;
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
    gap: var(--s-6);
    min-height: 38px;
  }
  .play {
    font-weight: 600;
    min-width: 52px;
    min-height: 30px;
    text-align: left;
    color: var(--main);
  }
  .now {
    font-size: var(--t-lead);
  }
  .total {
    margin-left: auto;
  }
  .volume input {
    width: 80px;
    accent-color: var(--main);
    display: block;
  }
  @media (--phone) {
    .frame,
    .volume {
      display: none;
    }
  }
</style>
