<!-- A piece of finished work, as large as its page lets it: nothing is downloaded, nothing is said. -->
<script lang="ts">
  import type { Schemas } from '$api/client';
  import { playable } from '$lib/formats';
  import Player from '$lib/player/Player.svelte';
  import Paging from '$lib/ui/Paging.svelte';

  let {
    piece,
    ended,
    play = false,
  }: {
    piece: Schemas['ShownView'];
    ended?: () => void;
    /** it begins by itself, since the one before it has ended */
    play?: boolean;
  } = $props();
  let sheet = $state(1);
  let player = $state<ReturnType<typeof Player>>();
  const named = $derived({ ...piece, name: piece.title });
  $effect(() => {
    if (play) player?.toggle();
  });
</script>

{#if playable(piece) && piece.made.includes('proxy')}
  <Player bind:this={player} item={named} {ended} plain />
{:else if piece.pages}
  <img src="{piece.look}page-{sheet}" alt="{piece.title}{piece.pages > 1 ? `, page ${sheet}` : ''}" loading="lazy" />
  {#if piece.pages > 1}<p class="turn">
      <Paging at={sheet} of={piece.pages} what="Pages" turn={(to) => (sheet = to)} />
    </p>{/if}
{:else if piece.made.includes('poster')}
  <img src="{piece.look}poster" alt={piece.title} loading="lazy" />
{:else if piece.swatch}
  <p class="colour" style:background={piece.swatch.hex} style:color={piece.swatch.ink}>
    <span class="figure">{piece.swatch.hex}</span>
  </p>
{:else if piece.html}
  {#await import('$lib/ui/Sheet.svelte') then { default: Sheet }}<Sheet html={piece.html} name={piece.title} />{/await}
{:else}
  <p class="none">
    {piece.media_state === 'waiting' || piece.media_state === 'working'
      ? 'It is being made ready, and shows here in a moment.'
      : 'There is no picture of it.'}
  </p>
{/if}

<style>
  img {
    display: block;
    width: 100%;
    max-height: 84vh;
    object-fit: contain;
    border-radius: var(--radius);
  }
  .turn {
    display: flex;
    justify-content: center;
    padding: var(--s-4) 0;
  }
  .colour,
  .none {
    display: grid;
    place-items: center;
    min-height: 240px;
    padding: var(--s-9);
    border-radius: var(--radius);
  }
  .none {
    background: var(--empty);
    color: var(--muted);
  }
</style>
