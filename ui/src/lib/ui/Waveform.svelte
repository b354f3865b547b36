<!--
  The outline of a sound. What was not heard yet is covered by what lies behind it (--behind, the ground unless said
  otherwise): while it plays only that cover moves, and nothing is drawn anew.
-->
<script lang="ts">
  interface Props {
    peaks: number[];
    bars?: number;
    /** which share of it was heard; left out where it does not play */
    played?: number;
  }
  let { peaks, bars = 60, played }: Props = $props();
  const drawn = $derived.by(() => {
    const heights: number[] = [];
    const step = peaks.length / bars;
    for (let i = 0; i < bars && step > 0; i++) {
      const end = Math.max(Math.floor((i + 1) * step), Math.floor(i * step) + 1);
      heights.push(Math.max(3, ...peaks.slice(Math.floor(i * step), end)));
    }
    const loudest = Math.max(1, ...heights);
    return heights
      .map((h, i) => {
        const tall = 8 + (h / loudest) * 88;
        return `M${i * 4 + 1.9} ${(50 - tall / 2).toFixed(2)}v${tall.toFixed(2)}`;
      })
      .join('');
  });
</script>

<span class="waveform" class:still={played === undefined} aria-hidden="true">
  <svg viewBox="0 0 {bars * 4} 100" preserveAspectRatio="none"><path d={drawn} /></svg>
  {#if played !== undefined}<i style:translate="{played * 100}%"></i>{/if}
</span>

<style>
  .waveform {
    position: relative;
    display: block;
    width: 100%;
    height: 100%;
    overflow: hidden;
  }
  svg {
    display: block;
    width: 100%;
    height: 100%;
  }
  path {
    stroke: var(--main);
    stroke-width: 2.6;
  }
  .still {
    opacity: 0.55;
  }
  i {
    position: absolute;
    inset: 0;
    background: var(--behind, var(--ground));
    opacity: 0.45;
    will-change: translate;
  }
</style>
