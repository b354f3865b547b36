<!-- The rounds of review of a package: which versions each bundles, who was asked, and who decided what of them. -->
<script lang="ts">
  import { api, need, words, type Package, type Schemas } from '$api/client';
  import { count } from '$lib/count';
  import { clock, live } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import Agreed from '$lib/room/Agreed.svelte';
  import Ask from '$lib/room/Ask.svelte';
  import { word } from '$lib/room/decided';
  import { briefly, inFull } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Table from '$lib/ui/Table.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  let { parcel }: { parcel: Package } = $props();
  const path = $derived({ params: { path: { id: parcel.id } } });
  const rounds = new Resource(() => need(api.GET('/api/v1/packages/{id}/rounds', path)));
  void rounds.load();
  live('/api/v1/live', (change) => {
    if (
      change.what === 'resync' ||
      (change.package === parcel.id && ['notes', 'contents', 'waybill'].includes(change.what))
    )
      void rounds.load();
  });

  let asking = $state(false);
  /** the round before of which one looks at what was decided */
  let unfolded = $state('');
  let problem = $state('');
  const isOpen = $derived(parcel.state === 'out' || parcel.state === 'closing');
  async function close() {
    problem = '';
    try {
      await need(api.DELETE('/api/v1/packages/{id}/rounds', path));
    } catch (thrown) {
      problem = words(thrown);
    }
    void rounds.load();
  }

  type Round = Schemas['RoundNowView'];
  type Decided = Schemas['DecidedView'];
  const names = $derived(Object.fromEntries(parcel.recipients.map((r) => [r.id, r.name])));
  /** what somebody said last of a version; the last comes first */
  const said = (all: Decided[], who: string, version: string) =>
    all.find((d) => d.who === who && d.version === version);
  /** those who were asked, and those who decided without being asked */
  const people = (r: Round, all: Decided[]) => [
    ...new Set([...r.lines, ...all.filter((d) => r.items.some((i) => i.version === d.version)).map((d) => d.who)]),
  ];
  const who = (id: string, all: Decided[]) => names[id] ?? all.find((d) => d.who === id)?.name ?? 'who was taken off';
  const sign = { signed_off: '✓', changes_wanted: '↺' };
</script>

{#snippet verdict(d: Decided | undefined, asked: boolean)}
  {#if d}
    <span class={d.verdict}>{sign[d.verdict]} {word(d.verdict)}</span>
    <time class="muted" datetime={d.at} title={inFull(new Date(d.at))}>{briefly(new Date(d.at), clock.now)}</time>
    {#if d.line}<span class="line">“{d.line}”</span>{/if}
  {:else if asked}<span class="muted">waits</span>
  {:else}<span class="muted">–</span>{/if}
{/snippet}
{#snippet matrix(r: Round, all: Decided[])}
  {@const asked = people(r, all)}
  <Table label="Who decided what in {r.name}">
    <thead>
      <tr>
        <th>Item</th>
        {#each asked as id (id)}<th>{who(id, all)}</th>{/each}
      </tr>
    </thead>
    <tbody>
      {#each r.items as item (item.version)}
        <tr class:gone={!item.given}>
          <th scope="row">
            {#if item.given}<a href="/packages/{parcel.id}/room?item={item.id}">{item.name}</a>{:else}{item.name}{/if}
            <span class="muted"
              >version {item.number}{!item.given
                ? ', taken out since'
                : !item.now
                  ? ', there is a newer one'
                  : ''}</span
            >
          </th>
          {#each asked as id (id)}
            <td>{@render verdict(said(all, id, item.version), item.given && r.lines.includes(id))}</td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </Table>
{/snippet}

<Wait of={rounds} shape="rows">
  {#snippet children(of)}
    {@const now = of.rounds.find((r) => !r.closed_at)}
    {@const past = of.rounds.filter((r) => r.closed_at)}
    <div class="top">
      {#if of.used.project}
        <div class="agreed">
          <Agreed project={of.used.project} agreed={of.used.agreed} changed={() => void rounds.load()} />
        </div>
        <p class="muted">
          {count(of.used.used, 'round')} used in this project{of.used.agreed > 0 ? `, ${of.used.agreed} agreed` : ''}.
        </p>
      {/if}
      {#if isOpen}<Button look={now ? 'plain' : 'main'} onclick={() => (asking = true)}
          >{now ? 'Begin the next round…' : 'Ask for sign-off…'}</Button
        >{/if}
    </div>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if now}
      <section aria-label={now.name}>
        <header>
          <h2>{now.name}</h2>
          <p class={now.state}>{now.says}{now.due ? `, ${now.due}` : ''}</p>
          <Button look="link" onclick={() => void close()}>Close this round</Button>
        </header>
        {#if now.message}<p class="message">“{now.message}”</p>{/if}
        {@render matrix(now, of.decided)}
      </section>
    {:else if !past.length}
      <p class="muted none">
        No round has begun. A round asks people to sign off the versions as they are, until a day you name.
      </p>
    {/if}
    {#each past as r (r.id)}
      <section class="past" aria-label={r.name}>
        <button aria-expanded={unfolded === r.id} onclick={() => (unfolded = unfolded === r.id ? '' : r.id)}>
          <strong>{r.name}</strong>
          <span class="muted"
            >{count(r.items.length, 'item')}, began {briefly(new Date(r.began_at), clock.now)}, closed {briefly(
              new Date(r.closed_at ?? r.began_at),
              clock.now,
            )}</span
          >
        </button>
        {#if unfolded === r.id}{@render matrix(r, of.decided)}{/if}
      </section>
    {/each}
    <Dialog bind:open={asking} title={now ? 'Begin the next round' : 'Ask for sign-off'} size="small">
      {#if now}<p class="muted">{now.name} is closed by it.</p>{/if}
      <Ask
        parcel={parcel.id}
        items={parcel.next ? [] : parcel.items}
        began={() => {
          asking = false;
          void rounds.load();
        }}
      />
    </Dialog>
  {/snippet}
</Wait>

<style>
  .top {
    display: flex;
    flex-wrap: wrap;
    align-items: end;
    gap: var(--s-4) var(--s-7);
    padding: var(--s-6) 0;
  }
  .top > :global(.button) {
    margin-left: auto;
  }
  .agreed {
    width: min(360px, 100%);
  }
  header {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: var(--s-2) var(--s-6);
    padding: var(--s-4) 0;
  }
  header > :global(.button) {
    margin-left: auto;
  }
  h2 {
    font-size: var(--t-lead);
  }
  .message {
    font-style: italic;
    padding-bottom: var(--s-4);
    max-width: 72ch;
  }
  th,
  td {
    text-align: left;
    vertical-align: top;
    font-weight: 400;
    padding: var(--s-3) var(--s-5) var(--s-3) 0;
  }
  thead th {
    font-weight: 600;
  }
  th .muted,
  .line,
  td time {
    display: block;
    font-size: var(--t-small);
  }
  td {
    min-width: 150px;
  }
  th[scope='row'] {
    overflow-wrap: anywhere;
    min-width: 160px;
  }
  .signed_off,
  .signed {
    color: var(--main);
  }
  .changes_wanted,
  .changes,
  .open {
    color: var(--late);
  }
  .gone {
    opacity: 0.65;
  }
  .past {
    border-top: 1px solid var(--line);
    padding: var(--s-3) 0;
  }
  .past > button {
    min-height: 28px;
    text-align: left;
  }
  .past > button:hover strong {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .none {
    padding: var(--s-6) 0;
  }
</style>
