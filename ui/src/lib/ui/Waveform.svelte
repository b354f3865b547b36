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
  const drawn = $derived(
    heights.map((h, i) => {
      const tall = 8 + (h / loudest) * 88;
      return `M${i * 4 + 1.9} ${(50 - tall / 2).toFixed(2)}v${tall.toFixed(2)}`;
    }),
  );
  const heard = $derived(Math.ceil(played * bars));
</script>

<svg viewBox="0 0 {bars * 4} 100" preserveAspectRatio="none" aria-hidden="true">
  <path class="played" d={drawn.slice(0, heard).join('')} />
  <path d={drawn.slice(heard).join('')} />
</svg>

<style>
  svg {
    display: block;
    width: 100%;
    height: 100%;
  }
  path {
    stroke: var(--main);
    stroke-width: 2.6;
    opacity: 0.55;
  }
  .played {
    opacity: 1;
  }
</style>
