<!-- What neither plays nor is a picture, as the studio sees it: a swatch, a sheet with its ticks, a link. -->
<script lang="ts">
  import type { Item, Package } from '$api/client';
  import { Ticks } from '$lib/package/ticks.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import SwatchCard from '$lib/ui/SwatchCard.svelte';

  let { parcel, item }: { parcel: Package; item: Item } = $props();
  const ticks = new Ticks(() => parcel);
</script>

<div class="paper">
  {#if item.swatch}<SwatchCard swatch={item.swatch} name={item.title} />
  {:else if item.what === 'sheet'}<Sheet html={item.html} name={item.title} ticked={ticks.by(item)} />
  {:else if item.what === 'link'}
    <a class="leads" href={item.data.url} target="_blank" rel="noopener noreferrer">
      {#if item.made.includes('poster')}<img src="{item.look}poster" alt="" />{/if}
      <span class="figure">{item.data.url} ↗</span>
    </a>
  {:else if item.made.includes('poster')}<img src="{item.look}poster" alt={item.name} />
  {:else}<p class="muted">There is no preview of this kind of file yet.</p>{/if}
</div>

<style>
  .paper {
    overflow: auto;
    flex: 1;
  }
  img {
    max-width: 100%;
  }
  .leads {
    display: flex;
    flex-direction: column;
    gap: var(--s-5);
    color: var(--main);
    overflow-wrap: anywhere;
  }
</style>
