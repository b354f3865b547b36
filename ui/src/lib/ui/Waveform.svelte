<script lang="ts">
  let { peaks, bars = 60, played = 0 }: { peaks: number[]; bars?: number; played?: number } = $props();
  const heights = $derived.by(() => {
    const out: number[] = [];
    const step = peaks.length / bars;
    for (let i = 0; i < bars && step > 0; i++) {
      out.push(
        Math.max(
          3,
          ...peaks.slice(Math.floor(i * step), Math.max(Math.floor((i + 1) * step), Math.floor(i * step) + 1)),
        ),
      );
    }
    return out;
  });
  const loudest = $derived(Math.max(1, ...heights));
</script>

<svg viewBox="0 0 {bars * 4} 100" preserveAspectRatio="none" aria-hidden="true">
  {#each heights as h, i (i)}
    {@const tall = 8 + (h / loudest) * 88}
    <rect x={i * 4 + 0.6} y={50 - tall / 2} width="2.6" height={tall} rx="0.8" class:played={i / bars < played} />
  {/each}
</svg>

<style>
  svg {
    display: block;
    width: 100%;
    height: 100%;
  }
  rect {
    fill: var(--main);
    opacity: 0.55;
  }
  .played {
    opacity: 1;
  }
</style>
