<!-- How a thing is recognised: its picture, its sound, or the sheet of its kind. -->
<script lang="ts">
  import type { Item } from '$api/client';
  import { suffix } from '$lib/formats';
  import Waveform from './Waveform.svelte';

  let {
    item,
    wide = false,
  }: {
    item: Pick<Item, 'what' | 'name' | 'made' | 'look' | 'version' | 'facts' | 'media_state'> & {
      swatch?: { hex: string };
    };
    wide?: boolean;
  } = $props();
</script>

<span class="thumb" class:wide data-kind={item.what}>
  {#if item.swatch}
    <span class="sheet" style:background={item.swatch.hex}></span>
  {:else if item.made.includes('poster')}
    <img src="{item.look}poster" alt="" loading="lazy" decoding="async" />
  {:else if item.facts.peaks?.length}
    <span class="wave"><Waveform peaks={item.facts.peaks} bars={wide ? 120 : 24} /></span>
  {:else}
    <span class="sheet">{suffix(item)}</span>
  {/if}
</span>

<style>
  .thumb {
    display: block;
    width: var(--thumb);
    aspect-ratio: 16 / 9;
    background: var(--empty);
    border-radius: 2px;
    overflow: hidden;
    flex: none;
  }
  .wide {
    width: 100%;
  }
  img {
    width: 100%;
    height: 100%;
    object-fit: cover;
  }
  [data-kind='document'] img {
    object-fit: contain;
    background: var(--white);
  }
  .wave {
    display: block;
    height: 100%;
    padding: var(--s-2);
  }
  .sheet {
    display: grid;
    place-items: center;
    height: 100%;
    font-family: var(--font-mono);
    font-size: var(--t-tiny);
    color: var(--muted);
  }
</style>
