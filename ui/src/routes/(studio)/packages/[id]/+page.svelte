<script lang="ts">
  import { page } from '$app/state';
  import { api, need, words, type LedgerData, type Note, type Package } from '$api/client';
  import Compose from '$lib/compose/Compose.svelte';
  import { live } from '$lib/live.svelte';
  import Sent from '$lib/package/Sent.svelte';
  import { untrack } from 'svelte';

  const id = $derived(page.params.id ?? '');
  let parcel = $state<Package>();
  let ledger = $state<LedgerData>();
  let notes = $state<Note[]>([]);
  let problem = $state('');

  const path = () => ({ params: { path: { id } } });
  async function loadPackage() {
    parcel = await need(api.GET('/api/v1/packages/{id}', path()));
  }
  async function loadLedger() {
    ledger = await need(api.GET('/api/v1/packages/{id}/ledger', path()));
  }
  async function loadNotes() {
    notes = (await need(api.GET('/api/v1/packages/{id}/notes', path()))) ?? [];
  }
  async function attempt(...loads: (() => Promise<void>)[]) {
    try {
      await Promise.all(loads.map((load) => load()));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  $effect(() => {
    if (id) untrack(() => void attempt(loadPackage, loadLedger, loadNotes));
  });
  live('/api/v1/live', (change) => {
    if (change.what === 'resync') return void attempt(loadPackage, loadLedger, loadNotes);
    if (change.package !== id) return;
    if (change.what === 'ledger') void attempt(loadLedger);
    else if (change.what === 'notes') void attempt(loadNotes);
    else void attempt(loadPackage, loadLedger);
  });
</script>

<svelte:head><title>{parcel?.title ?? 'Package'} · Aftergust</title></svelte:head>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if parcel && parcel.state === 'draft'}
  <Compose bind:parcel reload={() => attempt(loadPackage)} />
{:else if parcel && ledger}
  <Sent bind:parcel {ledger} {notes} reload={() => attempt(loadPackage, loadLedger, loadNotes)} />
{/if}
