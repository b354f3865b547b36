<script lang="ts">
  import { page } from '$app/state';
  import { api, need, words, type Note, type Package } from '$api/client';
  import { live } from '$lib/live.svelte';
  import Room from '$lib/room/Room.svelte';
  import { untrack } from 'svelte';

  const id = $derived(page.params.id ?? '');
  let parcel = $state<Package>();
  let notes = $state<Note[]>([]);
  let problem = $state('');

  async function load() {
    const path = { params: { path: { id } } };
    try {
      [parcel, notes] = await Promise.all([
        need(api.GET('/api/v1/packages/{id}', path)),
        need(api.GET('/api/v1/packages/{id}/notes', path)).then((n) => n ?? []),
      ]);
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
  {#if parcel}<Room {parcel} {notes} reload={load} />{/if}
</div>

<style>
  .room {
    min-height: 100vh;
  }
</style>
