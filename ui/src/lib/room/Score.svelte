<!--
  The notes laid along the time of a piece, one lane for each person, under its waveform. It zooms and scrolls with
  time: with the wheel and Ctrl, by + and −, by pulling at the ruler.
-->
<script lang="ts">
  import type { Item } from '$api/client';
  import { fetched } from '$lib/fetched.svelte';
  import { loudest } from '$lib/player/peaks';
  import type { Transport } from '$lib/player/transport.svelte';
  import Waveform from '$lib/ui/Waveform.svelte';
  import { untrack, type Snippet } from 'svelte';
  import { lights } from './lights';
  import type { Laid } from './review.svelte';
  import { follow, lanes as laneOf, marks as marksOf, slide, zoom, type View } from './score';

  interface Props {
    item: Item;
    notes: Laid[];
    transport: Transport;
    picked: string;
    /** ids of those at the playhead */
    lit: string[];
    pick: (note: Laid) => void;
    label: (micros: number) => string;
    /** what lies between the ruler and the lanes, drawn in the same stretch */
    map?: Snippet<[View]>;
  }
  let { item, notes, transport: t, picked, lit, pick, label, map }: Props = $props();

  const length = $derived(Math.max(1, Math.round((t.length || (item.facts.length_us ?? 0) / 1e6) * 1e6)));
  let chosen = $state.raw<View | null>(null); // null: all of it
  const view = $derived(chosen ?? { from: 0, to: length });
  const near = $derived(view.to - view.from < length * 0.999);
  let width = $state(900);
  const lanes = $derived(laneOf(notes, view, (24 / Math.max(100, width)) * 100)); // what is pressed is 24 px wide
  let track = $state<HTMLElement>();
  const marks = $derived(marksOf(view, Math.max(2, Math.floor(width / 150))));
  const x = (us: number) => ((us - view.from) / (view.to - view.from)) * 100;
  const head = $derived(t.seconds * 1e6);

  let peaks = $state.raw<ArrayBuffer>();
  fetched(
    () => (item.made.includes('peaks') ? `${item.look}peaks` : ''),
    async (answer) => (peaks = await answer.arrayBuffer()),
  );
  const bars = $derived(Math.max(60, Math.min(320, Math.round(width / 4))));
  const wave = $derived(
    (peaks && loudest(peaks, bars, view.from / length, view.to / length)) ?? item.facts.peaks ?? [],
  );

  // While it plays the playhead stays in sight.
  $effect(() => {
    if (!t.running) return;
    const at = head;
    untrack(() => near && (chosen = follow(view, at, length)));
  });

  export function nearer(by: number, around = head) {
    const next = zoom(view, by, around, length);
    chosen = next.to - next.from >= length * 0.999 ? null : next;
  }
  export function whole() {
    chosen = null;
  }
  export function move(by: number) {
    if (near) chosen = slide(view, by * (view.to - view.from), length);
  }
  const under = (event: { clientX: number }, box = track!.getBoundingClientRect()) =>
    view.from + ((event.clientX - box.left) / box.width) * (view.to - view.from);
  function wheel(event: WheelEvent) {
    if (!event.ctrlKey && !event.shiftKey && Math.abs(event.deltaX) <= Math.abs(event.deltaY)) return;
    event.preventDefault();
    if (event.ctrlKey) nearer(Math.exp(event.deltaY / 240), under(event));
    else move((event.deltaX || event.deltaY) / width);
  }
  // Svelte listens to wheels passively, and then they scroll the page as well.
  $effect(() => {
    const box = track?.parentElement;
    box?.addEventListener('wheel', wheel, { passive: false });
    return () => box?.removeEventListener('wheel', wheel);
  });

  /** where the time lies on the screen while one scrubs: it is not asked for at each move, which would be a layout */
  let scrubs: DOMRect | undefined;
  let pending = 0;
  /** At most one seek for each picture of the screen: the newest. */
  function scrub(event: PointerEvent) {
    const to = Math.max(0, Math.min(under(event, scrubs), length));
    cancelAnimationFrame(pending);
    pending = requestAnimationFrame(() => t.seek(to));
  }
  const from = $derived(t.from);
  const to = $derived(t.to);
</script>

<section class="score" aria-label="Score">
  <div class="tools">
    <button aria-label="Nearer" onclick={() => nearer(0.5)}>+</button>
    <button aria-label="Further" disabled={!near} onclick={() => nearer(2)}>−</button>
    {#if near}<button onclick={whole}>All</button>{/if}
  </div>
  <!-- svelte-ignore a11y_no_static_element_interactions (the slider over it does the same by key) -->
  <div
    class="time"
    bind:this={track}
    bind:clientWidth={width}
    onpointerdown={(e) => {
      if (e.button) return;
      scrubs = e.currentTarget.getBoundingClientRect();
      e.currentTarget.setPointerCapture?.(e.pointerId);
      scrub(e);
    }}
    onpointermove={(e) => scrubs && scrub(e)}
    onpointerup={() => (scrubs = undefined)}
    onpointercancel={() => (scrubs = undefined)}
  >
    {#if wave.length}
      <div class="wave"><Waveform peaks={wave} {bars} played={Math.max(0, Math.min(1, x(head) / 100))} /></div>
    {/if}
    <div class="ruler figure" aria-hidden="true">
      {#each marks as at (at)}<span style:left="{x(at)}%" class:end={x(at) > 92}>{label(at)}</span>{/each}
    </div>
    {#if from !== null || to !== null}
      <span class="span" style:left="{Math.max(0, x(from ?? 0))}%" style:right="{Math.max(0, 100 - x(to ?? length))}%"
      ></span>
    {/if}
  </div>
  {#if map}<span></span>{@render map(view)}{/if}
  {#each lanes as lane (lane.name)}
    <h3 title={lane.more ? `${lane.name}: ${lane.more} more show when you look nearer` : lane.name}>
      {lane.name}{#if lane.more}<span class="figure">&nbsp;+{lane.more}</span>{/if}
    </h3>
    <div class="lane" style:--rows={lane.rows} {@attach lights(lit, lane.notes)}>
      {#each lane.notes as { note, left, width: wide, room, row } (note.id)}
        <button
          data-note={note.id}
          class:done={note.done}
          class:spans={wide > 0}
          class:own={note.private}
          class:unsure={note.carried && !note.carried.sure}
          aria-current={note.id === picked}
          style:left="{left}%"
          style:--row={row}
          style:max-width="{Math.max(room, wide)}%"
          style:--wide="{wide}%"
          style:min-width={wide ? `${wide}%` : undefined}
          title={note.says}
          aria-label="{note.label}, {note.author}: {note.says}{note.done ? ', done' : ''}{note.carried
            ? ', carried'
            : ''}"
          onclick={() => pick(note)}
          >{#if room || wide}{#if note.attached.some((a) => a.kind === 'voice')}<span class="says" aria-hidden="true"
                >◖
              </span>{/if}{note.says}{/if}</button
        >
      {/each}
    </div>
  {/each}
  <div class="head" aria-hidden="true">
    {#if x(head) >= 0 && x(head) <= 100}<span style:translate="{x(head)}%"></span>{/if}
  </div>
</section>

<style>
  .score {
    position: relative;
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr);
    margin-top: var(--s-4);
    max-height: 34vh;
    overflow: hidden auto;
  }
  .tools {
    display: flex;
    align-items: end;
    gap: var(--s-1);
    padding-bottom: var(--s-2);
    border-bottom: 1px solid var(--line);
  }
  .tools button {
    min-width: 26px;
    min-height: 26px;
    color: var(--muted);
    font-size: var(--t-small);
  }
  .tools button:hover:not(:disabled) {
    color: var(--ink);
  }
  .tools button:disabled {
    opacity: 0.4;
  }
  .time {
    position: relative;
    cursor: ew-resize;
    touch-action: none;
  }
  .wave {
    height: 44px;
    --main: var(--seen);
  }
  .ruler {
    position: relative;
    height: 24px;
    overflow: hidden;
    border-bottom: 1px solid var(--line);
  }
  .ruler span {
    position: absolute;
    border-left: 1px solid var(--muted);
    padding-left: var(--s-1);
    color: var(--muted);
    font-size: var(--t-tiny);
    line-height: 22px;
    white-space: nowrap;
  }
  .ruler .end {
    color: transparent;
  }
  .span {
    position: absolute;
    inset-block: 0;
    min-width: 2px;
    background: color-mix(in srgb, var(--late) 18%, transparent);
    border: solid var(--late);
    border-width: 0 2px;
    pointer-events: none;
  }
  h3 {
    font: 600 var(--t-small) / 30px var(--font-sans);
    border-bottom: 1px solid var(--line);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    padding-right: var(--s-3);
  }
  h3 .figure {
    color: var(--muted);
    font-weight: 400;
  }
  .lane {
    position: relative;
    will-change: transform; /* hundreds of marks, which are not painted anew because something else is */
    height: calc(var(--rows) * 27px + 4px);
    overflow: hidden;
    border-bottom: 1px solid var(--line);
  }
  .lane button {
    position: absolute;
    top: calc(var(--row) * 27px + 3px);
    height: 24px;
    min-height: 24px;
    min-width: 24px;
    border-left: 2px solid var(--late);
    padding: 0 var(--s-2);
    font-size: var(--t-small);
    text-align: left;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .lane .spans {
    background: linear-gradient(var(--late-faint), var(--late-faint)) 0 0 / 100% 100% no-repeat;
    border-right: 2px solid var(--late);
  }
  .says {
    margin-right: 0.35em;
  }
  .lane button:hover {
    background: var(--surface);
  }
  .lane :global([data-lit]) {
    color: var(--late);
  }
  .lane .own {
    border-left-style: dashed;
  }
  .lane .unsure {
    border-left: 2px dotted var(--late);
    color: var(--late);
  }
  .lane button[aria-current='true'] {
    background: var(--late);
    color: var(--on-main);
    font-weight: 600;
    z-index: 1;
  }
  .lane .done {
    border-color: var(--muted);
    color: var(--muted);
    text-decoration: line-through;
  }
  .head {
    position: absolute;
    inset: 0 0 0 110px;
    pointer-events: none;
    overflow: hidden;
  }
  /* As wide as the time, so that its share of the time is one of its own width: it moves without a layout or a painting. */
  .head span {
    position: absolute;
    inset: 0 0 0 -1px;
    border-left: 2px solid var(--ink);
    will-change: translate;
  }
  .head span::before {
    content: '';
    position: absolute;
    top: 0;
    left: -6px;
    border: 5px solid transparent;
    border-top: 7px solid var(--ink);
  }
  @media (--narrow) {
    .score {
      grid-template-columns: 76px minmax(0, 1fr);
      max-height: none;
    }
    .head {
      left: 76px;
    }
  }
</style>
