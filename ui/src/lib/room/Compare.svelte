<!--
  Two versions at the same moment: side by side, one wiped over the other, their difference, or the one and the other
  by a key. One transport moves both; the older one shows the frame from which the newer one came.
-->
<script lang="ts">
  import { words, type RoomData } from '$api/client';
  import { playable } from '$lib/formats';
  import { Transport } from '$lib/player/transport.svelte';
  import Player from '$lib/player/Player.svelte';
  import { clock, inside, label as labelOf, timelineOf } from '$lib/timecode';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Whole from '$lib/ui/Number.svelte';
  import Skeleton from '$lib/ui/Skeleton.svelte';
  import { onDestroy, untrack } from 'svelte';
  import Between from './Between.svelte';
  import { before, changes, countOf, levels, micros, next, type ChangeMap } from './changed';
  import type { Seat } from './seat';

  interface Props {
    seat: Seat;
    room: RoomData;
    /** id of the older version */
    version: string;
    transport: Transport;
    player?: ReturnType<typeof Player>;
    page: number;
  }
  let { seat, room, version, transport: t, player = $bindable(), page }: Props = $props();

  type Mode = 'side' | 'wipe' | 'difference' | 'switch';
  const modes = [
    { value: 'side', name: 'Side by side' },
    { value: 'wipe', name: 'Wipe' },
    { value: 'difference', name: 'Difference' },
    { value: 'switch', name: 'Switch' },
  ];
  let mode = $state<Mode>('side');
  let older = $state.raw<RoomData>();
  let problem = $state('');
  let wiped = $state(50);
  let showsOld = $state(false);
  let matched = $state(true);
  let offset = $state(0);
  let only = $state(false);
  const old = new Transport();

  const of = $derived(room.item.id); // a note more is no other item
  $effect(() => {
    older = undefined;
    void seat.room(of, version).then(
      (r) => (older = r),
      (thrown: unknown) => (problem = words(thrown)),
    );
  });
  const item = $derived(room.item);
  const was = $derived(older?.item);
  const plays = $derived(playable(item) && item.made.includes('proxy'));
  const numberOf = (id: string) => room.versions.find((v) => v.id === id)?.number ?? '';
  // What changed is known from the version before; from others the moment is the same timecode.
  const map = $derived<ChangeMap | undefined>(room.before === version ? room.changed : undefined);
  const line = $derived(countOf(item.facts));
  const oldLine = $derived(was ? countOf(was.facts) : line);
  const frame = $derived(Math.floor((t.seconds * line.num) / line.den + 1e-4));
  const origin = $derived(map ? before(map, frame) : { frame, kept: true, stretch: undefined });
  const oldFrame = $derived(Math.max(0, origin.frame + offset));
  const oldSeconds = $derived(inside(oldLine, oldFrame));

  // The older one follows: to the frame while it rests, and held close by its speed while it plays.
  $effect(() => {
    const media = old.media;
    if (!media || !was) return;
    const wanted = oldSeconds;
    const frameLength = oldLine.den / oldLine.num;
    untrack(() => {
      if (!t.running || t.shuttle < 0) {
        media.pause();
        if (Math.abs(media.currentTime - wanted) > frameLength / 4) old.go(wanted);
        return;
      }
      const behind = wanted - media.currentTime;
      const rate = t.media?.playbackRate ?? 1;
      if (Math.abs(behind) > 8 * frameLength) old.go(wanted);
      media.playbackRate = Math.min(4, Math.max(0.25, rate * (1 + Math.max(-0.2, Math.min(0.2, behind * 3)))));
      if (media.paused) void media.play().catch(() => undefined);
    });
  });
  $effect(() => old.watch());
  $effect.pre(() => t.show({ line: timelineOf(item.facts), frames: item.facts.frames || Infinity, length: (item.facts.length_us ?? 0) / 1e6 })); // prettier-ignore
  $effect(() => (item.what === 'film' ? t.watch() : undefined)); // a sound has a player of its own
  $effect.pre(() => {
    if (was) old.show({ line: timelineOf(was.facts), frames: was.facts.frames || Infinity, length: (was.facts.length_us ?? 0) / 1e6 }); // prettier-ignore
  });
  // Only one is heard: the newer one, or whichever is shown; as loud as the other where they are matched.
  const loud = $derived(was && matched ? levels(item.facts, was.facts) : ([1, 1] as const));
  $effect(() => {
    const hearsOld = mode === 'switch' && showsOld;
    if (t.media) {
      t.media.muted = hearsOld || t.muted;
      t.media.volume = t.volume * loud[0];
    }
    if (old.media) {
      old.media.muted = !hearsOld || t.muted;
      old.media.volume = t.volume * loud[1];
    }
  });
  onDestroy(() => {
    if (t.media) {
      t.media.muted = t.muted;
      t.media.volume = t.volume;
    }
  });

  export function turn() {
    if (mode !== 'switch') mode = 'switch';
    showsOld = !showsOld;
  }
  export function nextChange() {
    const s = map && next(map, frame);
    if (s) t.seek(Math.ceil(micros(line, s.from)));
  }
  export function playChanges() {
    only = !only;
    if (only && !t.running) void t.play();
  }
  // Only what changed: what is as it was is jumped over.
  $effect(() => {
    const at = frame;
    if (!only || !map || !t.running) return;
    untrack(() => {
      if (changes(map, at, line)) return;
      const s = next(map, at);
      if (!s || s.from <= at) {
        t.pause();
        only = false;
      } else t.go(inside(line, Math.max(0, s.kind === 'gone' ? s.from - Math.floor(line.num / line.den / 2) : s.from)));
    });
  });

  const place = (l: typeof line | null, f: number, seconds: number) => (l ? labelOf(l, f) : clock(seconds));
  const apart = $derived.by(() => {
    if (!map || !origin.kept) return '';
    const by = micros(line, frame) - micros(oldLine, origin.frame);
    if (Math.abs(by) < 1000) return 'the same moment is at the same place';
    const s = Math.abs(by) / 1e6;
    return `the same moment is ${s.toFixed(2)} s ${by > 0 ? 'earlier' : 'later'} in version ${numberOf(version)}`;
  });

  // Stills: both are looked at through the same glass.
  let scale = $state(1);
  let panX = $state(0);
  let panY = $state(0);
  let drags = false;
  const glass = $derived(`translate(${panX}px, ${panY}px) scale(${scale})`);
  function zoom(event: WheelEvent) {
    event.preventDefault();
    const to = Math.min(12, Math.max(1, scale * Math.exp(-event.deltaY / 300)));
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const [x, y] = [event.clientX - box.left - box.width / 2, event.clientY - box.top - box.height / 2];
    panX = to === 1 ? 0 : x - ((x - panX) * to) / scale;
    panY = to === 1 ? 0 : y - ((y - panY) * to) / scale;
    scale = to;
  }
  const picture = (of: RoomData['item']) =>
    of.pages ? `${of.look}page-${Math.min(page, of.pages)}` : `${of.look}poster`;
  const over = $derived(mode !== 'side');
  const clip = $derived(mode === 'wipe' ? `inset(0 0 0 ${wiped}%)` : undefined);
</script>

<div class="compare">
  <div class="bar">
    <Choice label="How to compare" options={modes} value={mode} pick={(v) => (mode = v as Mode)} />
    {#if mode === 'switch'}
      <Button look="quiet" aria-pressed={showsOld} onclick={turn}
        >{showsOld ? `Version ${numberOf(version)}` : `Version ${item.number}`} <kbd class="key">Q</kbd></Button
      >
    {/if}
    {#if plays && was?.facts.measured && item.facts.measured}
      <button
        class="word"
        aria-pressed={matched}
        title="The louder one is turned down"
        onclick={() => (matched = !matched)}>As loud</button
      >
    {/if}
    {#if plays && !map}
      <div class="offset">
        <Whole label="Frames later" value={offset} min={-9999} max={9999} set={(n) => (offset = n)} />
      </div>
    {/if}
    {#if map}
      <button class="word" onclick={nextChange}>Next change <kbd class="key">N</kbd></button>
      <button class="word" aria-pressed={only} onclick={playChanges}>Only changes <kbd class="key">⇧ Space</kbd></button
      >
    {/if}
  </div>

  {#if problem}<p class="problem" role="alert">{problem}</p>
  {:else if !was}<Skeleton shape="page" />
  {:else if plays && item.what === 'film'}
    <div class="films" class:over>
      <figure class="old" class:hidden={mode === 'switch' && !showsOld}>
        <video
          bind:this={old.media}
          src="{was.look}proxy"
          preload="auto"
          playsinline
          muted
          aria-label="Version {was.number}"
          {...{ onloadedmetadata: old.on.loadedmetadata, onseeked: old.on.seeked }}
        ></video>
      </figure>
      <figure
        class="now"
        class:difference={mode === 'difference'}
        class:hidden={mode === 'switch' && showsOld}
        style:clip-path={clip}
      >
        <!-- svelte-ignore a11y_media_has_caption (what a client sent for review brings none) -->
        <video
          bind:this={t.media}
          src="{item.look}proxy"
          preload="auto"
          playsinline
          aria-label="Version {item.number}"
          onclick={() => t.toggle()}
          onplay={t.on.play}
          onpause={t.on.pause}
          onloadedmetadata={t.on.loadedmetadata}
          onseeked={t.on.seeked}
          ontimeupdate={t.on.timeupdate}
        ></video>
      </figure>
      {@render wipe()}
    </div>
    <div class="places">
      <p class:first={!over}>
        <strong>v{was.number}</strong> <span class="figure">{place(timelineOf(was.facts), oldFrame, oldSeconds)}</span>
      </p>
      <p>
        <strong>v{item.number}</strong>
        <span class="figure large" data-timecode>{place(timelineOf(item.facts), frame, t.seconds)}</span>
        <span class="muted">{origin.kept ? apart : 'new here'}</span>
      </p>
      <button class="play" onclick={() => t.toggle()}>{t.running ? 'Pause' : 'Play'}</button>
    </div>
  {:else if plays}
    <div class="sounds">
      <Player bind:this={player} {item} room transport={t} />
      <audio
        bind:this={old.media}
        src="{was.look}proxy"
        preload="auto"
        muted
        onloadedmetadata={old.on.loadedmetadata}
        onseeked={old.on.seeked}
      ></audio>
      <p class="muted">
        {showsOld ? `You hear version ${was.number}.` : `You hear version ${item.number}.`} Press Q to hear the other one
        at the same moment.
      </p>
    </div>
  {:else}
    <!-- svelte-ignore a11y_no_static_element_interactions (the pictures are looked at; + and − do the same) -->
    <div
      class="films stills"
      class:over
      onwheel={zoom}
      onpointerdown={(e) => ((drags = scale > 1), drags && e.currentTarget.setPointerCapture?.(e.pointerId))}
      onpointermove={(e) => drags && ((panX += e.movementX), (panY += e.movementY))}
      onpointerup={() => (drags = false)}
    >
      <figure class="old" class:hidden={mode === 'switch' && !showsOld}>
        <img src={picture(was)} alt="Version {was.number}" style:transform={glass} draggable="false" />
      </figure>
      <figure
        class="now"
        class:difference={mode === 'difference'}
        class:hidden={mode === 'switch' && showsOld}
        style:clip-path={clip}
      >
        <img src={picture(item)} alt="Version {item.number}" style:transform={glass} draggable="false" />
      </figure>
      {@render wipe()}
    </div>
    <div class="places">
      <p class:first={!over}><strong>v{was.number}</strong></p>
      <p><strong>v{item.number}</strong></p>
      <span class="word">
        <button class="word" aria-label="Larger" onclick={() => (scale = Math.min(12, scale * 1.5))}>+</button>
        <button
          class="word"
          aria-label="Smaller"
          onclick={() => ((scale = Math.max(1, scale / 1.5)), scale === 1 && (panX = panY = 0))}>−</button
        >
        <span class="figure">{Math.round(scale * 100)} %</span>
      </span>
    </div>
  {/if}

  {#if map && was}
    <Between
      {map}
      {line}
      {frame}
      old={oldFrame}
      label={(f) => place(timelineOf(item.facts), f, micros(line, f) / 1e6)}
      go={(at) => t.seek(at)}
    />
  {:else if plays && was}
    <p class="muted none">
      {room.before === version
        ? 'What changed is being computed; it shows here in a moment.'
        : 'Both are at the same place in time. What changed is known from one version to the next.'}
    </p>
  {/if}
</div>

{#snippet wipe()}
  {#if mode === 'wipe'}
    <input
      class="wipe"
      type="range"
      min="0"
      max="100"
      step="0.5"
      bind:value={wiped}
      aria-label="Where one version ends and the other begins"
      style:--at="{wiped}%"
    />
  {/if}
{/snippet}

<style>
  .compare {
    display: flex;
    flex-direction: column;
    flex: 1;
    min-height: 0;
    gap: var(--s-4);
    overflow: auto;
  }
  .bar {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-3) var(--s-7);
  }
  .word {
    color: var(--muted);
    font-size: var(--t-small);
    min-height: 28px;
    white-space: nowrap;
  }
  .word:hover,
  .word[aria-pressed='true'] {
    color: var(--main);
  }
  .offset {
    width: 130px;
  }
  .films {
    position: relative;
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--s-7);
    flex: 1;
    min-height: 240px; /* so that what changed is in sight of a small window too */
    overflow: hidden;
  }
  .films.over {
    grid-template-columns: 1fr;
  }
  figure {
    display: grid;
    place-items: center;
    min-height: 0;
    min-width: 0;
    margin: 0;
    overflow: hidden;
    background: var(--ground);
  }
  .over figure {
    grid-area: 1 / 1;
  }
  video,
  img {
    display: block;
    width: 100%;
    height: 100%;
    min-height: 0;
    object-fit: contain;
    user-select: none;
  }
  .stills {
    touch-action: none;
    cursor: grab;
  }
  .difference {
    mix-blend-mode: difference;
    background: none;
  }
  .hidden {
    visibility: hidden;
  }
  .wipe {
    appearance: none;
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    margin: 0;
    background: linear-gradient(var(--white), var(--white)) var(--at) 0 / 2px 100% no-repeat;
    cursor: ew-resize;
  }
  .wipe::-webkit-slider-thumb {
    appearance: none;
    width: 14px;
    height: 34px;
    border: 2px solid var(--white);
    background: var(--sketch-halo);
    border-radius: var(--radius);
  }
  .wipe::-moz-range-thumb {
    width: 12px;
    height: 32px;
    border: 2px solid var(--white);
    background: var(--sketch-halo);
  }
  .places {
    display: grid;
    grid-template-columns: 1fr 1fr max-content;
    gap: var(--s-7);
    align-items: baseline;
  }
  .large {
    font-size: var(--t-large);
  }
  .play {
    color: var(--main);
    font-weight: 600;
    min-height: 30px;
  }
  .sounds {
    display: flex;
    flex-direction: column;
    min-height: 240px;
    flex: 1;
  }
  .none {
    padding: var(--s-4) 0;
  }
  @media (--middle) {
    .films {
      grid-template-columns: 1fr;
      min-height: 0;
      flex: none;
      gap: var(--s-2);
    }
    .places {
      grid-template-columns: 1fr;
      gap: var(--s-1);
    }
  }
</style>
