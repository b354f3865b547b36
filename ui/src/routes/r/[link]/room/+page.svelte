<!-- The Room for whoever came by a link. Whoever is not in stands before the package's own page. -->
<script lang="ts">
  import '$lib/fonts';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, Problem, words, type GuestItem, type GuestPage, type Item } from '$api/client';
  import { upTo } from '$lib/pages';
  import { further, itemsOf, present } from '$lib/recipient/inside';
  import Reach from '$lib/Reach.svelte';
  import Room from '$lib/room/Room.svelte';
  import { Seat } from '$lib/room/seat';
  import { Turns } from '$lib/turns';
  import { untrack } from 'svelte';

  const link = $derived(page.params.link ?? '');
  const seat = $derived(new Seat(link));
  let guest = $state.raw<GuestPage>();
  let problem = $state('');

  async function more() {
    if (guest) guest = await further(link, guest);
  }
  const turns = new Turns();
  async function load() {
    const latest = turns.take();
    try {
      const wanted = page.url.searchParams.get('item');
      const first = await need(api.GET('/api/v1/r/{link}', { params: { path: { link } } }));
      if (first.standing) return void goto(`/r/${link}`, { replaceState: true });
      const enough = (all: GuestItem[]) =>
        all.length >= (guest?.items.length ?? 0) && (!wanted || all.some((i) => i.id === wanted));
      const all = { ...first, ...(await upTo(first, enough, itemsOf(link))) };
      if (!latest()) return;
      guest = all;
      problem = '';
    } catch (thrown) {
      if (thrown instanceof Problem && thrown.status === 404) void goto(`/r/${link}`, { replaceState: true });
      else problem = words(thrown);
    }
  }
  $effect(() => {
    if (link) untrack(() => void load());
  });
  const inside = $derived(Boolean(guest));
  $effect(() => (inside ? present(link) : undefined));
</script>

<Reach />

<svelte:head><title>Room · {guest?.title ?? ''}</title></svelte:head>
<div class="room">
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if guest}
    <Room
      {seat}
      items={guest.items}
      count={guest.count}
      more={guest.next ? more : undefined}
      back={{ href: `/r/${link}`, name: guest.title }}
      changed={() => void load()}
      {thing}
    />
  {/if}
</div>

{#snippet thing(item: Item)}
  {#await import('$lib/recipient/Thing.svelte') then { default: Thing }}
    <Thing item={item as GuestItem} {link} followed={() => undefined} />
  {/await}
{/snippet}

<style>
  .room {
    min-height: 100vh;
  }
</style>
