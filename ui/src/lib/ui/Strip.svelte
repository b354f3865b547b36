<!-- Which bytes were delivered (the bar), which seconds played (the line under it). -->
<script lang="ts">
  interface Range {
    start: number;
    end: number;
  }
  interface Props {
    bytes: Range[];
    size: number;
    played?: Range[];
    /** milliseconds */
    length?: number;
    complete?: boolean;
    takes?: boolean;
    saying: string;
  }
  let { bytes, size, played = [], length = 0, complete = false, takes = true, saying }: Props = $props();
  // A sliver must still be seen, so nothing is drawn narrower than this.
  const least = 0.8;
  const parts = (ranges: Range[], whole: number) =>
    whole > 0
      ? ranges.map((r) => ({ x: (r.start / whole) * 100, w: Math.max(least, ((r.end - r.start) / whole) * 100) }))
      : [];
  const delivered = $derived(complete ? [{ x: 0, w: 100 }] : parts(bytes, size));
  const seen = $derived(parts(played, length));
</script>

<svg class="strip" viewBox="0 0 100 12" preserveAspectRatio="none" role="img" aria-label={saying}>
  {#if takes || delivered.length}
    <rect class="rail" x="0" y="0" width="100" height="8" />
  {/if}
  {#each delivered as part (part.x)}<rect class="bytes" x={part.x} y="0" width={part.w} height="8" />{/each}
  {#each seen as part (part.x)}<rect class="played" x={part.x} y="10" width={part.w} height="2" />{/each}
</svg>

<style>
  .strip {
    display: block;
    width: 100%;
    height: 12px;
    overflow: visible;
  }
  .rail {
    fill: var(--surface);
    stroke: var(--perforation);
    stroke-width: 1;
    vector-effect: non-scaling-stroke;
  }
  .bytes {
    fill: var(--main);
  }
  .played {
    fill: var(--seen);
  }
</style>
