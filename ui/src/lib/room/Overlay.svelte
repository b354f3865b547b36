<!--
  What lies on the picture: the sketch and the place of the note in front, those of the others as small marks, and
  what is being drawn. Everything is kept in ten-thousandths of the picture, so that it fits every size of it.
-->
<script lang="ts">
  import type { Anchor, Stroke } from '$api/client';
  import type { Laid } from './review.svelte';
  import { colours, counts, drawOn, nowhere, path, placed, placeIn, type Tool } from './strokes';

  interface Props {
    /** the note in front, where it lies at what is shown */
    note?: Laid | undefined;
    /** further notes here, as marks to press */
    others?: Laid[];
    pick?: (note: Laid) => void;
    /** what is being written: its place and strokes */
    draft: Anchor;
    /** what a pointer does: draw, set a place, or nothing */
    tool: Tool | 'place' | '';
    colour: number;
    draw: (anchor: Anchor) => void;
  }
  let { note, others = [], pick, draft, tool, colour, draw }: Props = $props();

  let width = $state(0);
  let height = $state(0);
  let box = $state<SVGSVGElement>();
  let stroke = $state.raw<Stroke>();
  let from = $state.raw<number[]>();
  let to = $state.raw<number[]>();

  const strokes = $derived([
    ...(note?.here.strokes ?? []).map((s) => ({ s, mine: false })),
    ...(draft.strokes ?? []).map((s) => ({ s, mine: true })),
    ...(stroke ? [{ s: stroke, mine: true }] : []),
  ]);
  const places = $derived([...(note ? [note.here] : []), ...(from && to ? [placed(from, to) as Anchor] : [draft])]);
  const at = (v: number | undefined, whole: number) => ((v ?? 0) / 10_000) * whole;

  function down(event: PointerEvent) {
    if (!tool || !box || event.button > 0) return;
    event.preventDefault();
    box.setPointerCapture?.(event.pointerId);
    const p = placeIn(box.getBoundingClientRect(), event);
    if (tool === 'place') [from, to] = [p, p];
    else stroke = { tool, colour, points: [p] };
  }
  function move(event: PointerEvent) {
    if (!box || (!stroke && !from)) return;
    const frame = box.getBoundingClientRect();
    // A pen reports between two pictures of the screen where it was meanwhile.
    const all = event.getCoalescedEvents?.() ?? [];
    for (const one of all.length ? all : [event]) {
      const p = placeIn(frame, one);
      if (stroke) stroke = drawOn(stroke, p);
      else to = p;
    }
  }
  function up() {
    if (stroke && counts(stroke)) draw({ ...draft, strokes: [...(draft.strokes ?? []), stroke] });
    if (from && to) {
      draw({ ...nowhere(draft), ...placed(from, to) });
    }
    stroke = from = to = undefined;
  }
</script>

<div class="overlay" class:draws={tool !== ''} bind:clientWidth={width} bind:clientHeight={height}>
  <svg
    bind:this={box}
    viewBox="0 0 {width || 1} {height || 1}"
    aria-hidden="true"
    onpointerdown={down}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={up}
  >
    {#each places as a, i (i)}
      {#if a.where === 'area'}
        <rect class="area" x={at(a.x, width)} y={at(a.y, height)} width={at(a.w, width)} height={at(a.h, height)} />
      {:else if a.where === 'spot'}
        <g class="spot" transform="translate({at(a.x, width)} {at(a.y, height)})">
          <circle r="15" class="halo" /><circle r="15" /><circle r="3" class="dot" />
        </g>
      {/if}
    {/each}
    {#each strokes as { s }, i (i)}
      <path class="halo" d={path(s, width, height)} />
      <path d={path(s, width, height)} style:stroke="var({colours[s.colour] ?? colours[0]})" />
    {/each}
  </svg>
  {#each others as other (other.id)}
    <button
      class="mark"
      style:left="{((other.here.x ?? 0) + (other.here.w ?? 0) / 2) / 100}%"
      style:top="{((other.here.y ?? 0) + (other.here.h ?? 0) / 2) / 100}%"
      class:done={other.done}
      aria-label="{other.author}: {other.says}{other.done ? ', done' : ''}"
      title={other.says}
      onclick={() => pick?.(other)}
    ></button>
  {/each}
</div>

<style>
  .overlay {
    position: absolute;
    inset: 0;
    pointer-events: none;
  }
  .draws svg {
    pointer-events: auto;
    cursor: crosshair;
    touch-action: none;
  }
  svg {
    width: 100%;
    height: 100%;
    display: block;
  }
  path,
  .area,
  .spot circle {
    fill: none;
    stroke: var(--sketch-1);
    stroke-width: 3.5;
    stroke-linecap: round;
    stroke-linejoin: round;
  }
  .halo {
    stroke: var(--sketch-halo) !important;
    stroke-width: 6 !important;
  }
  .spot .dot {
    fill: var(--sketch-1);
    stroke: none;
  }
  .area {
    stroke-dasharray: 8 5;
    stroke-width: 2.5;
  }
  .mark {
    position: absolute;
    width: 26px;
    height: 26px;
    translate: -50% -50%;
    padding: 0;
    border: 2px solid var(--sketch-1);
    border-radius: 50%;
    background: var(--sketch-halo);
    pointer-events: auto;
  }
  .mark::after {
    content: '';
    display: block;
    width: 8px;
    height: 8px;
    margin: auto;
    border-radius: 50%;
    background: var(--sketch-1);
  }
  .mark.done {
    opacity: 0.55;
  }
  .draws .mark {
    pointer-events: none;
  }
</style>
