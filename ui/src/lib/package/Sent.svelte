<!-- A package that was sent: waybill stub, ledger, items, notes, story. -->
<script lang="ts">
  import { page } from '$app/state';
  import Modal from 'flowbite-svelte/Modal.svelte';
  import { api, need, words, type LedgerData, type Note, type Package, type Rule } from '$api/client';
  import Ends from './Ends.svelte';
  import Items from './Items.svelte';
  import Ledger from './Ledger.svelte';
  import Notes from './Notes.svelte';
  import People from '$lib/compose/People.svelte';
  import Story from './Story.svelte';
  import Waybill from './Waybill.svelte';

  interface Props {
    parcel: Package;
    ledger: LedgerData;
    notes: Note[];
    reload: () => Promise<void>;
    /** the next page of items */
    more: () => Promise<void>;
    /** the next page of the ledger's columns */
    moreLedger: () => Promise<void>;
  }
  let { parcel = $bindable(), ledger, notes, reload, more, moreLedger }: Props = $props();

  type Show = 'ledger' | 'items' | 'notes' | 'people' | 'story';
  let show = $state<Show>((page.url.searchParams.get('show') as Show) ?? 'ledger');
  let extending = $state(false);
  let stopping = $state(false);
  let rule = $state<Rule>({ kind: 'after_days', days: 7, zone: '' });
  let problem = $state('');

  const open = $derived(notes.filter((n) => !n.done).length);
  const outstanding = $derived(ledger.rows.filter((r) => r.outstanding && !r.anyone));
  const path = $derived({ params: { path: { id: parcel.id } } });

  function beginExtending() {
    rule = { kind: 'after_days', days: 7, zone: parcel.end_rule.zone };
    problem = '';
    extending = true;
  }
  async function extend() {
    try {
      parcel = await need(api.POST('/api/v1/packages/{id}/extend', { ...path, body: rule }));
      extending = false;
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  async function stop() {
    try {
      parcel = await need(api.POST('/api/v1/packages/{id}/stop', path));
      stopping = false;
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  let reminded = $state('');
  async function remind() {
    const said: string[] = [];
    for (const row of outstanding) {
      try {
        await need(api.POST('/api/v1/recipients/{id}/remind', { params: { path: { id: row.id } } }));
        said.push(`${row.name} is reminded.`);
      } catch (thrown) {
        said.push(words(thrown));
      }
    }
    reminded = said.join(' ');
  }
  const canReopen = $derived(parcel.state === 'closed');
  const isOpen = $derived(parcel.state === 'out' || parcel.state === 'closing');
  const tabs: { id: Show; name: string }[] = [
    { id: 'ledger', name: 'Ledger' },
    { id: 'items', name: 'Items' },
    { id: 'notes', name: 'Notes' },
    { id: 'people', name: 'Waybill' },
    { id: 'story', name: 'Story' },
  ];
  function arrow(event: KeyboardEvent) {
    const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!step) return;
    const at = tabs.findIndex((t) => t.id === show);
    show = tabs[(at + step + tabs.length) % tabs.length]!.id;
    document.getElementById(`tab-${show}`)?.focus();
  }
</script>

<div class="package">
  <Waybill {parcel} extend={beginExtending} stop={() => ((problem = ''), (stopping = true))} reopen={canReopen} />
  <main>
    <div class="head">
      <h1>{parcel.title}</h1>
      <div class="acts noprint">
        {#if isOpen && outstanding.length}
          <button class="button" onclick={remind}
            >Remind {outstanding.length === 1 ? '1 person' : `${outstanding.length} people`}</button
          >
        {/if}
        {#if parcel.items.length}<a class="button main room-link" href="/packages/{parcel.id}/room">Open the Room</a
          >{/if}
      </div>
    </div>
    {#if parcel.cover_letter}<p class="letter">“{parcel.cover_letter}”</p>{/if}
    {#if reminded}<p class="muted" role="status">{reminded}</p>{/if}
    {#each parcel.letters as letter, i (i)}
      {#if letter.problem}<p class="late" role="status">
          The letter to {letter.to} has not gone. {letter.problem}
        </p>{/if}
    {/each}
    <div class="tabs noprint" role="tablist" aria-label="Parts of the package" tabindex="-1" onkeydown={arrow}>
      {#each tabs as tab (tab.id)}
        <button
          role="tab"
          id="tab-{tab.id}"
          aria-selected={show === tab.id}
          aria-controls="panel"
          tabindex={show === tab.id ? 0 : -1}
          onclick={() => (show = tab.id)}
        >
          {tab.name}
          {#if tab.id === 'notes' && open}<span class="late count">{open} open</span>{/if}
        </button>
      {/each}
      {#if show === 'ledger'}
        <span class="legend figure muted" aria-hidden="true"
          >bytes delivered <i class="b"></i> seconds played <i class="p"></i></span
        >
      {/if}
    </div>
    <div id="panel" role="tabpanel" aria-labelledby="tab-{show}">
      {#if show === 'ledger'}<Ledger {ledger} count={parcel.count} more={moreLedger} />
      {:else if show === 'items'}<Items bind:parcel {reload} {more} />
      {:else if show === 'notes'}<Notes {parcel} {notes} {reload} />
      {:else if show === 'people'}<div class="people"><People {parcel} {reload} /></div>
      {:else}<Story {parcel} />{/if}
    </div>
  </main>
</div>

<Modal bind:open={extending} title={isOpen ? 'Extend' : 'Open again'} size="sm">
  <div class="dialog">
    <Ends {rule} change={(r) => (rule = r)} />
    <p class="muted">Everyone on the waybill can go on where they stopped. No letter goes.</p>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <button class="button main" onclick={extend}>{isOpen ? 'Set the new end' : 'Open it again'}</button>
  </div>
</Modal>
<Modal bind:open={stopping} title="Stop {parcel.title}" size="sm">
  <div class="dialog">
    <p>
      Every link goes dead at once, and downloads that run are cut. What was taken stays in the record, and you can open
      the package again while its files are held.
    </p>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <button class="button wrong" onclick={stop}>Stop it now</button>
  </div>
</Modal>

<style>
  .package {
    display: grid;
    grid-template-columns: 236px minmax(0, 1fr);
    min-height: calc(100vh - 48px);
  }
  main {
    padding: 22px var(--page) 40px;
  }
  .head {
    display: flex;
    justify-content: space-between;
    align-items: start;
    gap: 20px;
  }
  .acts {
    display: flex;
    gap: 8px;
  }
  .room-link {
    min-height: 34px;
    padding: 4px 14px;
    font-size: 14.5px;
  }
  .letter {
    font-style: italic;
    max-width: 72ch;
    margin: 6px 0 4px;
    white-space: pre-line;
  }
  .tabs {
    display: flex;
    align-items: center;
    gap: 22px;
    border-bottom: 1px solid var(--ink);
    margin-top: 14px;
    overflow-x: auto;
  }
  .tabs button {
    padding: 7px 0 6px;
    border-bottom: 3px solid transparent;
    color: var(--muted);
    font-weight: 500;
    white-space: nowrap;
  }
  .tabs button[aria-selected='true'] {
    color: var(--ink);
    font-weight: 600;
    border-bottom-color: var(--main);
  }
  .tabs button:hover {
    color: var(--ink);
  }
  .count {
    font-size: var(--t-small);
  }
  .legend {
    margin-left: auto;
    white-space: nowrap;
  }
  .legend i {
    display: inline-block;
    width: 26px;
    vertical-align: middle;
    margin: 0 14px 0 4px;
  }
  .legend .b {
    height: 8px;
    background: var(--main);
  }
  .legend .p {
    height: 2px;
    background: var(--seen);
    margin-right: 0;
  }
  .people {
    max-width: 760px;
    padding-top: 14px;
  }
  .dialog {
    display: grid;
    gap: 14px;
    color: var(--ink);
    justify-items: start;
  }
  @media (max-width: 1000px) {
    .package {
      grid-template-columns: 1fr;
    }
    .legend {
      display: none;
    }
  }
  @media (max-width: 720px) {
    main {
      padding: 18px 16px;
    }
    .head {
      flex-direction: column;
    }
  }
</style>
