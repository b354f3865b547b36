<!-- A package that was sent: waybill stub, ledger, items, notes, story. -->
<script lang="ts">
  import Tabs from '$lib/ui/Tabs.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, words, type LedgerData, type Note, type Package, type Rule } from '$api/client';
  import { clock } from '$lib/live.svelte';
  import { untilWhen } from '$lib/time';
  import ChangeDoor from './ChangeDoor.svelte';
  import Ends from './Ends.svelte';
  import Items from './Items.svelte';
  import Ledger from './Ledger.svelte';
  import Ladder from './Ladder.svelte';
  import Notes from './Notes.svelte';
  import Remind from './Remind.svelte';
  import Rounds from './Rounds.svelte';
  import People from '$lib/compose/People.svelte';
  import Stop from './Stop.svelte';
  import Story from './Story.svelte';
  import Waybill from './Waybill.svelte';
  import Now from '$lib/seen/Now.svelte';

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

  type Show = 'ledger' | 'items' | 'notes' | 'rounds' | 'people' | 'story';
  let show = $state<Show>((page.url.searchParams.get('show') as Show) ?? 'ledger');
  let extending = $state(false);
  let stopping = $state(false);
  let changing = $state(false);
  let laddering = $state(false);
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
  async function ladder(reminders: number[]) {
    try {
      parcel = await need(api.PATCH('/api/v1/packages/{id}', { ...path, body: { reminders } }));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  let reminded = $state('');
  let failed = $state('');
  async function again() {
    try {
      const made = await need(api.POST('/api/v1/packages/{id}/again', path));
      await goto(`/packages/${made.id}`);
    } catch (thrown) {
      failed = words(thrown);
    }
  }
  async function tell() {
    try {
      parcel = await need(api.POST('/api/v1/packages/{id}/tell', path));
      failed = '';
    } catch (thrown) {
      failed = words(thrown);
    }
  }
  const canReopen = $derived(parcel.state === 'closed');
  const isOpen = $derived(parcel.state === 'out' || parcel.state === 'closing');
  const tabs = $derived([
    { id: 'ledger', name: 'Ledger' },
    { id: 'items', name: 'Items' },
    { id: 'notes', name: 'Notes', note: open ? `${open} open` : '' },
    { id: 'rounds', name: 'Rounds' },
    { id: 'people', name: 'Waybill' },
    { id: 'story', name: 'Story' },
  ] satisfies { id: Show; name: string; note?: string }[]);
</script>

<div class="package">
  <header class="head">
    <div>
      <h1>{parcel.title}</h1>
      {#if parcel.cover_letter}<p class="letter">“{parcel.cover_letter}”</p>{/if}
    </div>
    <div class="acts noprint">
      {#if isOpen && outstanding.length}
        <Remind parcel={parcel.id} people={outstanding} said={(words) => (reminded = words)} />
      {/if}
      <Button href="/packages/{parcel.id}/proof">Proof</Button>
      <Button onclick={again} title="A new draft with its items as they are now, its people and how it was sent"
        >Send again…</Button
      >
      {#if parcel.items.length}<Button look="main" class="room-link" href="/packages/{parcel.id}/room"
          >Open the Room</Button
        >{/if}
    </div>
  </header>
  <Waybill
    {parcel}
    extend={beginExtending}
    stop={() => (stopping = true)}
    change={() => (changing = true)}
    remind={() => ((problem = ''), (laddering = true))}
    reopen={canReopen}
  />
  <main>
    {#if parcel.news_at && isOpen}
      <p class="news" role="status">
        Things were added since it went. Everyone is told in one letter {untilWhen(
          new Date(parcel.news_at),
          clock.now,
        )}.
        <Button look="link" onclick={tell}>Tell them now</Button>
      </p>
    {/if}
    <Now parcel={parcel.id} />
    {#if failed}<p class="problem" role="alert">{failed}</p>{/if}
    {#if reminded}<p class="muted" role="status">{reminded}</p>{/if}
    {#each parcel.letters as letter, i (i)}
      {#if letter.problem}<p class="late" role="status">
          The letter to {letter.to}
          {letter.state === 'sent'
            ? 'has gone'
            : letter.state === 'refused'
              ? 'will not go'
              : letter.state === 'bounced'
                ? 'came back'
                : 'has not gone yet'}. {letter.problem}
        </p>{/if}
    {/each}
    <Tabs label="Parts of the package" {tabs} bind:value={() => show, (to) => (show = to as Show)}>
      {#snippet children(id)}
        {#if id === 'ledger'}<Ledger {ledger} count={parcel.count} more={moreLedger} />
        {:else if id === 'items'}<Items bind:parcel {reload} {more} />
        {:else if id === 'notes'}<Notes {parcel} {notes} {reload} />
        {:else if id === 'rounds'}<Rounds {parcel} />
        {:else if id === 'people'}<div class="people"><People {parcel} {reload} /></div>
        {:else}<Story {parcel} />{/if}
      {/snippet}
    </Tabs>
  </main>
</div>

<Dialog bind:open={extending} title={isOpen ? 'Extend' : 'Open again'} size="small">
  <div class="ask">
    <Ends {rule} change={(r) => (rule = r)} people={parcel.recipients} />
    <p class="muted">Everyone on the waybill can go on where they stopped. No letter goes.</p>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main" onclick={extend}>{isOpen ? 'Set the new end' : 'Open it again'}</Button>
  </div>
</Dialog>
<Dialog bind:open={changing} title="Change the door" size="small">
  <ChangeDoor {parcel} changed={(p) => ((parcel = p), (changing = false))} />
</Dialog>
<Dialog bind:open={laddering} title="Reminders" size="small">
  <div class="ask">
    <p>
      Whoever has not everything is reminded {parcel.reminded}, by day on their clock. A reminder stops with one click
      of theirs.
    </p>
    <Ladder hours={parcel.reminders} change={ladder} />
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  </div>
</Dialog>
<Stop bind:open={stopping} {parcel} stopped={(p) => (parcel = p)} />

<style>
  .package {
    display: grid;
    grid-template: 'bill head' auto 'bill main' 1fr / 236px minmax(0, 1fr);
    min-height: calc(100vh - 48px);
  }
  .package > :global(aside) {
    grid-area: bill;
  }
  main {
    grid-area: main;
    padding: var(--s-4) var(--page) var(--s-11);
    min-width: 0;
  }
  .head {
    grid-area: head;
    display: flex;
    justify-content: space-between;
    align-items: start;
    gap: var(--s-8);
    padding: var(--s-8) var(--page) 0;
    min-width: 0;
  }
  h1 {
    overflow-wrap: anywhere;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
  }
  .acts > :global(.room-link) {
    min-height: 34px;
    padding: var(--s-1) var(--s-6);
    font-size: var(--t-control);
  }
  .letter {
    font-style: italic;
    max-width: 72ch;
    margin: var(--s-2) 0 var(--s-1);
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
  .people {
    max-width: 760px;
    padding-top: var(--s-6);
  }
  .ask {
    display: grid;
    gap: var(--s-6);
    color: var(--ink);
    justify-items: start;
  }
  .ask > :global(.ladder) {
    width: 100%;
  }
  .ask > :global(.button.wrong) {
    border-color: currentcolor;
  }
  @media (--below-wide) {
    .package {
      grid-template: 'head' auto 'bill' auto 'main' 1fr / minmax(0, 1fr);
    }
    main {
      padding-top: var(--s-2);
    }
  }
  @media (--narrow) {
    .head {
      flex-direction: column;
      gap: var(--s-5);
      padding-top: var(--s-7);
    }
  }
</style>
