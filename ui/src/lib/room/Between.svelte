<!-- What became of the version before: both in one scale, bridges between what is the same, and the changes as a list. -->
<script lang="ts">
  import { countOf, kinds, micros, says, sums, type ChangeMap } from './changed';

  interface Props {
    map: ChangeMap;
    line: ReturnType<typeof countOf>;
    /** the frame that shows, and the one of the version before */
    frame: number;
    old: number;
    label: (frame: number) => string;
    /** to a moment in microseconds */
    go: (micros: number) => void;
  }
  let { map, line, frame, old, label, go }: Props = $props();

  // Both versions are drawn in one scale, that of the longer one.
  const width = 1000;
  const longest = $derived(Math.max(1, map.frames, map.old_frames));
  const x = (f: number) => (f / longest) * width;
</script>

<section aria-label="What changed">
  <h2>What changed</h2>
  <ul>
    {#each sums(map, line) as s (s.kind)}<li class={s.kind}><i></i>{s.seconds.toFixed(1)} s {kinds[s.kind]}</li>{/each}
  </ul>
  <svg viewBox="0 0 {width} 96" preserveAspectRatio="none" aria-hidden="true">
    {#each map.stretches as s (`${s.kind}${s.from}-${s.old}`)}
      {#if s.kind !== 'new' && s.kind !== 'gone'}
        <path class="bridge {s.kind}" d="M{x(s.from)} 26L{x(s.to)} 26L{x(s.old_end)} 66L{x(s.old)} 66Z" />
      {/if}
      {#if s.kind !== 'gone'}<rect
          class={s.kind}
          x={x(s.from)}
          y="6"
          width={Math.max(1, x(s.to) - x(s.from) - 1)}
          height="20"
        />{/if}
      {#if s.kind !== 'new'}<rect
          class="{s.kind} was"
          x={x(s.old)}
          y="66"
          width={Math.max(1, x(s.old_end) - x(s.old) - 1)}
          height="20"
        />{/if}
    {/each}
    <path class="head" d="M{x(frame)} 0V26L{x(old)} 66V96" />
  </svg>
  <ol>
    {#each map.stretches.filter((s) => s.kind !== 'same') as s (`${s.kind}${s.from}-${s.old}`)}
      <li>
        <button onclick={() => go(Math.ceil(micros(line, s.from)))}
          ><span class="figure">{label(s.from)}</span>
          {says(s, line)}</button
        >
      </li>
    {:else}<li class="muted">Nothing: this version shows and sounds as the one before.</li>{/each}
  </ol>
</section>

<style>
  section {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: var(--s-2) var(--s-8);
    align-items: baseline;
  }
  h2 {
    font-size: var(--t-lead);
  }
  ul,
  ol {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-1) var(--s-7);
    list-style: none;
    margin: 0;
    padding: 0;
    font-size: var(--t-small);
  }
  i {
    display: inline-block;
    width: 14px;
    height: 10px;
    margin-right: var(--s-2);
    background: currentcolor;
  }
  li.new {
    color: var(--main);
  }
  li.altered {
    color: var(--late);
  }
  li.moved {
    color: var(--seen);
  }
  li.gone {
    color: var(--wrong);
  }
  .gone i {
    background: none;
    border: 2px solid var(--wrong);
  }
  li.same {
    color: var(--muted);
  }
  svg,
  ol {
    grid-column: 1 / -1;
  }
  ol {
    max-height: 3.2em; /* two lines; there may be hundreds */
    overflow: hidden auto;
  }
  li {
    white-space: nowrap;
  }
  svg {
    width: 100%;
    height: 48px;
  }
  rect.same {
    fill: var(--perforation);
  }
  rect.new {
    fill: var(--main);
  }
  rect.altered {
    fill: var(--late);
  }
  rect.moved {
    fill: var(--seen);
  }
  rect.gone {
    fill: none;
    stroke: var(--wrong);
    stroke-width: 2;
    vector-effect: non-scaling-stroke;
  }
  rect.was:not(.gone) {
    opacity: 0.5;
  }
  .bridge {
    fill: var(--surface);
    opacity: 0.6;
  }
  .bridge.altered {
    fill: var(--late-faint);
  }
  .bridge.moved {
    fill: var(--empty);
  }
  .head {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2;
    vector-effect: non-scaling-stroke;
  }
  button {
    min-height: 26px;
    color: var(--muted);
  }
  button:hover {
    color: var(--ink);
  }
</style>
