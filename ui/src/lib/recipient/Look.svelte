<!-- What an item shows of itself to its recipient: film, sound, pages, text, or why nothing. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { onDestroy, onMount, untrack } from 'svelte';
  import { api, type GuestItem } from '$api/client';
  import { playable, turned } from '$lib/formats';
  import type Player from '$lib/player/Player.svelte';
  import { telling, Viewing } from '$lib/player/viewing';

  let {
    item,
    link,
    mayTake,
    asked,
    player = $bindable(),
  }: {
    item: GuestItem;
    link: string;
    mayTake: boolean;
    /** the recipient chose to see it; it was not merely the first */
    asked: boolean;
    player?: ReturnType<typeof Player>;
  } = $props();

  let sheet = $state(1);
  const has = (purpose: GuestItem['made'][number]) => item.made.includes(purpose);
  const plays = $derived(playable(item));
  // One of these is made for each item, and what it played is told when another is shown.
  const id = untrack(() => item.id);

  const looked = () => void api.POST('/api/v1/r/{link}/items/{item}/look', { params: { path: { link, item: id } } });
  const still = $derived(turned(item));
  const viewing = new Viewing(
    untrack(() => telling(`/api/v1/r/${link}/items/${id}`)),
    () => (asked && still ? sheet : 0),
  );
  onDestroy(() => viewing.leave());
  onMount(() => {
    if (asked && (item.pages || item.what === 'swatch' || item.what === 'sheet' || has('text'))) looked();
  });
</script>

<svelte:window onpagehide={() => viewing.stop()} />

{#if plays && has('proxy')}
  {#await import('$lib/player/Player.svelte') then { default: Player }}
    <Player bind:this={player} {item} {viewing} started={looked} />
  {/await}
{:else if ['link', 'swatch', 'sheet', 'archive'].includes(item.what) || has('text')}
  {#await import('./Thing.svelte') then { default: Thing }}
    <Thing {item} {link} followed={looked} />
  {/await}
{:else if item.pages}
  <img class="page" src="{item.look}page-{sheet}" alt="{item.name}{item.pages > 1 ? `, page ${sheet}` : ''}" />
  {#if item.pages > 1}
    <p class="turn">
      <Button look="quiet" disabled={sheet < 2} onclick={() => sheet--}>Page before</Button>
      <span class="figure">{sheet} of {item.pages}</span>
      <Button look="quiet" disabled={sheet >= item.pages} onclick={() => sheet++}>Next page</Button>
    </p>
  {/if}
{:else if item.media_state === 'waiting' || item.media_state === 'working'}
  <p class="hint">The preview is in work. It shows here in a moment.</p>
{:else}
  <p class="hint">
    There is no preview of this file{item.media_state === 'failed' ? ', it could not be read here' : ''}. {mayTake
      ? 'The original is whole and can be downloaded.'
      : ''}
  </p>
{/if}

<style>
  .page {
    width: 100%;
    max-height: 72vh;
    object-fit: contain;
    background: var(--empty);
    border-radius: var(--radius);
  }
  .turn {
    display: flex;
    justify-content: space-between;
    align-items: center;
    padding: var(--s-3) 0;
  }
  .hint {
    background: var(--empty);
    border-radius: var(--radius);
    color: var(--muted);
    padding: var(--s-13) var(--s-9);
  }
</style>
