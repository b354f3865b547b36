<!-- How a thing is recognised: its picture, its sound, its colour, or the sheet of its kind. -->
<script lang="ts">
  import type { Thing } from '$api/client';
  import Waveform from '$lib/ui/Waveform.svelte';

  let { thing, bars = 28 }: { thing: Thing; bars?: number } = $props();
  const poster = $derived(thing.made.includes('poster'));
</script>

<span class="face" data-what={thing.what}>
  {#if thing.kind === 'swatch'}
    <span class="fill" style:background={thing.data.colour}></span>
  {:else if poster}
    <img src="{thing.look}poster" alt="" loading="lazy" decoding="async" draggable="false" />
    {#if thing.kind === 'link'}<span class="mark" aria-hidden="true">↗</span>{/if}
  {:else if thing.facts.peaks?.length}
    <span class="wave"><Waveform peaks={thing.facts.peaks} {bars} /></span>
  {:else}
    <span class="word">{thing.kind === 'link' ? '↗' : thing.kind === 'sheet' ? '¶' : thing.format || thing.what}</span>
  {/if}
  {#if thing.media_state === 'waiting' || thing.media_state === 'working'}
    <span class="work" style:width="{Math.max(6, thing.media_share * 100)}%"></span>
  {/if}
</span>

<style>
  .face {
    position: relative;
    display: block;
    width: 100%;
    height: 100%;
    background: var(--empty);
    border-radius: 2px;
    overflow: hidden;
  }
  img {
    width: 100%;
    height: 100%;
    object-fit: cover;
  }
  [data-what='document'] img,
  [data-what='other'] img {
    object-fit: contain;
    background: var(--white);
  }
  .fill,
  .wave {
    display: block;
    height: 100%;
  }
  .wave {
    padding: 12%;
  }
  .word {
    display: grid;
    place-items: center;
    height: 100%;
    font-family: var(--font-mono);
    font-size: var(--t-tiny);
    color: var(--muted);
  }
  .mark {
    position: absolute;
    right: 4px;
    bottom: 4px;
    padding: 0 var(--s-1);
    font-size: var(--t-small);
    background: var(--surface);
    border-radius: 2px;
  }
  .work {
    position: absolute;
    left: 0;
    bottom: 0;
    height: 3px;
    background: var(--seen);
  }
</style>
