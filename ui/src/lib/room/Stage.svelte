<!-- The piece itself: film, sound, still, page or whatever there is to look at, with what lies on it. -->
<script lang="ts">
  import type { Item, RoomData } from '$api/client';
  import { playable } from '$lib/formats';
  import Player from '$lib/player/Player.svelte';
  import type { Transport } from '$lib/player/transport.svelte';
  import type { Viewing } from '$lib/player/viewing';
  import Paging from '$lib/ui/Paging.svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    item: RoomData['item'];
    transport: Transport;
    page: number;
    player?: ReturnType<typeof Player>;
    viewing?: Viewing | undefined;
    started?: () => void;
    ended?: () => void;
    keep?: ((media: HTMLMediaElement) => void) | undefined;
    /** what lies on the picture */
    children: Snippet;
    /** what neither plays nor is a picture */
    thing?: Snippet;
  }
  let { item, transport, page = $bindable(), player = $bindable(), viewing, started, ended, keep, children, thing }: Props = $props(); // prettier-ignore
  const has = (purpose: Item['made'][number]) => item.made.includes(purpose);
  const plays = $derived(playable(item));
  let shape = $state('');
  const shapeOf = (image: HTMLImageElement) => (shape = `${image.naturalWidth} / ${image.naturalHeight}`);
</script>

{#if plays && has('proxy')}
  <Player bind:this={player} {item} room {transport} {viewing} {started} {ended} {keep}>{@render children()}</Player>
{:else if plays && item.media_state !== 'failed'}
  <p class="hint">The proxy is in work. It plays here in a moment.</p>
{:else if item.media_state === 'failed'}
  <p class="hint">No preview could be made: {item.media_error}. The original is whole.</p>
{:else if item.pages || (item.what === 'still' && has('poster'))}
  <div class="room-picture">
    <div class="frame" style:--ratio={shape || '3 / 2'}>
      <img
        src={item.pages ? `${item.look}page-${page}` : `${item.look}poster`}
        alt="{item.name}{item.pages > 1 ? `, page ${page}` : ''}"
        draggable="false"
        onload={(e) => shapeOf(e.currentTarget as HTMLImageElement)}
      />
      {@render children()}
    </div>
  </div>
  {#if item.pages > 1}
    <p class="turn"><Paging at={page} of={item.pages} what="Pages" turn={(to) => (page = to)} /></p>
  {/if}
{:else if thing}{@render thing()}
{:else if has('poster')}
  <div class="room-picture"><img class="plain" src="{item.look}poster" alt={item.name} /></div>
{:else}<p class="hint">There is no preview of this kind of file yet.</p>{/if}

<style>
  .room-picture {
    container-type: size;
    display: grid;
    place-items: center;
    flex: 1;
    min-height: 0;
  }
  .frame {
    position: relative;
    width: min(100%, calc(100cqh * (var(--ratio))));
    aspect-ratio: var(--ratio);
  }
  img {
    display: block;
    width: 100%;
    height: 100%;
    object-fit: contain;
    user-select: none;
  }
  .plain {
    max-width: 100%;
    max-height: 100%;
  }
  .turn {
    padding-top: var(--s-4);
    text-align: center;
  }
  .hint {
    color: var(--muted);
    padding: var(--s-11) 0;
  }
</style>
