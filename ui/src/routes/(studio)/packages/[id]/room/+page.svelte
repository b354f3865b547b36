<script lang="ts">
  import { page } from '$app/state';
  import { api, need, words, type Item, type Package } from '$api/client';
  import { upTo } from '$lib/pages';
  import Room from '$lib/room/Room.svelte';
  import { Seat } from '$lib/room/seat';
  import Thing from '$lib/room/Thing.svelte';
  import { Turns } from '$lib/turns';
  import { untrack } from 'svelte';

  const id = $derived(page.params.id ?? '');
  const seat = new Seat();
  let parcel = $state.raw<Package>();
  let problem = $state('');

  const items = (after: string) =>
    need(api.GET('/api/v1/packages/{id}/items', { params: { path: { id }, query: { after } } }));
  async function more() {
    if (!parcel?.next) return;
    const next = await items(parcel.next);
    parcel = { ...parcel, items: [...parcel.items, ...next.items], next: next.next };
  }
  const turns = new Turns();
  async function load() {
    const latest = turns.take();
    try {
      const wanted = page.url.searchParams.get('item');
      const first = await need(api.GET('/api/v1/packages/{id}', { params: { path: { id } } }));
      // As far as was shown, and as far as the item that is asked for.
      const enough = (all: Package['items']) =>
        all.length >= (parcel?.items.length ?? 0) && (!wanted || all.some((i) => i.id === wanted));
      const all = { ...first, ...(await upTo(first, enough, items)) };
      if (!latest()) return;
      parcel = all;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  $effect(() => {
    if (id) untrack(() => void load());
  });
</script>

<svelte:head><title>Room · {parcel?.title ?? ''} · Aftergust</title></svelte:head>
<div class="room">
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if parcel}
    <Room
      {seat}
      items={parcel.items}
      count={parcel.count}
      more={parcel.next ? more : undefined}
      back={{ href: `/packages/${parcel.id}`, name: parcel.title }}
      changed={() => void load()}
      {thing}
    />
  {/if}
</div>

{#snippet thing(item: Item)}{#if parcel}<Thing {parcel} {item} />{/if}{/snippet}

<style>
  .room {
    min-height: 100vh;
  }
</style>
