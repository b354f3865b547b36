<script lang="ts">
  import { page } from '$app/state';
  import { api, need, words, type Note, type Package } from '$api/client';
  import { live } from '$lib/live.svelte';
  import { upTo } from '$lib/pages';
  import Room from '$lib/room/Room.svelte';
  import { untrack } from 'svelte';

  const id = $derived(page.params.id ?? '');
  let parcel = $state<Package>();
  let notes = $state<Note[]>([]);
  let problem = $state('');

  const items = (after: string) =>
    need(api.GET('/api/v1/packages/{id}/items', { params: { path: { id }, query: { after } } }));
  async function more() {
    if (!parcel?.next) return;
    const next = await items(parcel.next);
    parcel = { ...parcel, items: [...parcel.items, ...next.items], next: next.next };
  }
  async function load() {
    const path = { params: { path: { id } } };
    try {
      const wanted = page.url.searchParams.get('item');
      const [first, written] = await Promise.all([
        need(api.GET('/api/v1/packages/{id}', path)),
        need(api.GET('/api/v1/packages/{id}/notes', path)).then((n) => n ?? []),
      ]);
      // As far as was shown, and as far as the item that is asked for.
      const enough = (items: Package['items']) =>
        items.length >= (parcel?.items.length ?? 0) && (!wanted || items.some((i) => i.id === wanted));
      parcel = { ...first, ...(await upTo(first, enough, items)) };
      notes = written;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  $effect(() => {
    if (id) untrack(() => void load());
  });
  live(
    '/api/v1/live',
    (change) => (change.package === id || change.what === 'resync') && change.what !== 'ledger' && load(),
  );
</script>

<svelte:head><title>Room · {parcel?.title ?? ''} · Aftergust</title></svelte:head>
<div class="room">
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if parcel}<Room {parcel} {notes} reload={load} {more} />{/if}
</div>

<style>
  .room {
    min-height: 100vh;
  }
</style>
