<script lang="ts">
  import { page } from '$app/state';
  import { api, need, words, type LedgerData, type Note, type Package } from '$api/client';
  import Compose from '$lib/compose/Compose.svelte';
  import { live } from '$lib/live.svelte';
  import { upTo } from '$lib/pages';
  import Wait from '$lib/ui/Wait.svelte';
  import { uploads } from '$lib/uploads.svelte';
  import Sent from '$lib/package/Sent.svelte';
  import { Turns } from '$lib/turns';
  import { untrack } from 'svelte';

  const id = $derived(page.params.id ?? '');
  let parcel = $state<Package>();
  let ledger = $state<LedgerData>();
  let notes = $state<Note[]>([]);
  let problem = $state('');

  const path = () => ({ params: { path: { id } } });
  const after = (after: string) => ({ params: { path: { id }, query: { after } } });
  const items = (from: string) => need(api.GET('/api/v1/packages/{id}/items', after(from)));
  const turns = { package: new Turns(), ledger: new Turns(), notes: new Turns() };
  async function loadPackage() {
    const latest = turns.package.take();
    const first = await need(api.GET('/api/v1/packages/{id}', path()));
    const shown = parcel?.id === first.id ? parcel.items.length : 0;
    const all = { ...first, ...(await upTo(first, (all) => all.length >= shown, items)) };
    if (latest()) parcel = all;
  }
  async function more() {
    if (!parcel?.next) return;
    const page = await items(parcel.next);
    parcel = { ...parcel, items: [...parcel.items, ...page.items], next: page.next };
  }
  const columns = (from: string) => need(api.GET('/api/v1/packages/{id}/ledger', after(from)));
  async function loadLedger() {
    const latest = turns.ledger.take();
    let all = await columns('');
    while (ledger && all.next && all.items.length < ledger.items.length) all = beside(all, await columns(all.next));
    if (latest()) ledger = all;
  }
  async function moreLedger() {
    if (ledger?.next) ledger = beside(ledger, await columns(ledger.next));
  }
  /** The ledger with the next page of its columns. */
  const beside = (all: LedgerData, page: LedgerData): LedgerData => ({
    items: [...all.items, ...page.items],
    next: page.next,
    rows: page.rows.map((row) => ({
      ...row,
      cells: [...(all.rows.find((r) => r.id === row.id)?.cells ?? []), ...row.cells],
    })),
  });
  async function loadNotes() {
    const latest = turns.notes.take();
    const all = (await need(api.GET('/api/v1/packages/{id}/notes', path()))) ?? [];
    if (latest()) notes = all;
  }
  async function attempt(...loads: (() => Promise<void>)[]) {
    try {
      await Promise.all(loads.map((load) => load()));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  const of = {
    get value() {
      return parcel && (parcel.state === 'draft' || ledger) ? parcel : undefined;
    },
    get problem() {
      return problem;
    },
    load: () => attempt(loadPackage, loadLedger, loadNotes),
  };
  $effect(() => {
    if (id) untrack(() => void attempt(loadPackage, loadLedger, loadNotes));
  });
  $effect(() => {
    if (parcel && parcel.state !== 'draft') untrack(() => uploads.tidy(id)); // what became items needs no line any more
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

{#if !parcel || problem || (parcel.state !== 'draft' && !ledger)}
  <main class="wide"><Wait {of} shape="page" /></main>
{/if}
{#if parcel && parcel.state === 'draft'}
  <Compose bind:parcel reload={() => attempt(loadPackage)} {more} />
{:else if parcel && ledger}
  <Sent bind:parcel {ledger} {notes} reload={() => attempt(loadPackage, loadLedger, loadNotes)} {more} {moreLedger} />
{/if}
