<script lang="ts">
  import { count } from '$lib/count';
  import Table from '$lib/ui/Table.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type PackageRow } from '$api/client';
  import type { operations } from '$api/schema';
  import Acts from '$lib/packages/Acts.svelte';
  import { clock, live } from '$lib/live.svelte';
  import { newPackage } from '$lib/package/new';
  import { briefly, inFull, onClock, untilWhen } from '$lib/time';
  import { Resource } from '$lib/resource.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Ring from '$lib/ui/Ring.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Tick from '$lib/ui/Tick.svelte';

  type Asked = NonNullable<operations['list-packages']['parameters']['query']>;
  type Filter = Asked['filter'];
  type Order = Asked['order'];

  const filters = [
    { value: 'all', name: 'All' },
    { value: 'open', name: 'Out' },
    { value: 'soon', name: 'Ends soon' },
    { value: 'lacking', name: 'Outstanding' },
    { value: 'shut', name: 'Closed' },
    { value: 'cleared', name: 'Cleared' },
    { value: 'drafts', name: 'Drafts' },
  ];
  const orders = [
    { value: 'newest', name: 'Newest first' },
    { value: 'ends', name: 'What ends first' },
    { value: 'seen', name: 'Last sign of life' },
    { value: 'title', name: 'By title' },
    { value: 'weight', name: 'Heaviest first' },
  ];
  let filter = $state('all');
  let order = $state('newest');
  let find = $state('');
  const ask = (after = '') =>
    need(
      api.GET('/api/v1/packages', {
        params: { query: { after, find: find.trim(), filter: filter as Filter, order: order as Order } },
      }),
    );
  const list = new Resource(async () => {
    const page = await ask();
    return { rows: page.packages, next: page.next };
  });
  let problem = $state('');
  const plain = $derived(filter === 'all' && !find.trim());

  async function more(shown: { rows: PackageRow[]; next: string }) {
    try {
      const page = await ask(shown.next);
      list.value = { rows: [...shown.rows, ...page.packages], next: page.next };
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  let timer: ReturnType<typeof setTimeout> | undefined;
  function typed() {
    clearTimeout(timer);
    timer = setTimeout(list.load, 250);
  }
  void list.load();
  live('/api/v1/live', (change) => change.what !== 'notices' && void list.load());

  let chosen = $state<string[]>([]);
  const rows = $derived(list.value?.rows ?? []);
  const all = $derived(rows.length > 0 && rows.every((r) => chosen.includes(r.id)));
  const choose = (id: string) =>
    (chosen = chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id]);
</script>

<svelte:head><title>Packages · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <h1>Packages</h1>
    <span class="acts">
      <Button href="/showings">Showings</Button>
      <Button href="/people">People</Button>
      <Button look="main" onclick={newPackage}>New package <kbd class="key">N</kbd></Button>
    </span>
  </div>
  <div class="ask">
    <Choice label="Which packages" options={filters} bind:value={filter} pick={() => void list.load()} class="which" />
    <span class="find">
      <Field
        type="search"
        aria-label="Find a package by its title, or by who gets it"
        placeholder="Title, name or address"
        bind:value={find}
        oninput={typed}
      />
      <Select aria-label="Order" options={orders} bind:value={order} pick={() => void list.load()} />
    </span>
  </div>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <Wait of={list} shape="rows">
    {#snippet children(shown)}
      {#if shown.rows.length}
        <div class="scroll">
          <Table label="Packages">
            <thead>
              <tr
                ><th class="pick"
                  ><Tick
                    aria-label="Choose all that are shown"
                    checked={all}
                    onchange={() => (chosen = all ? [] : rows.map((r) => r.id))}
                  /></th
                ><th>Package</th><th>State</th><th>Ends</th><th class="num">Weight</th><th>Who has it</th><th
                  class="num">Opened by</th
                ><th>Last seen</th><th class="num">Notes</th></tr
              >
            </thead>
            <tbody>
              {#each shown.rows as row (row.id)}
                <tr class:chosen={chosen.includes(row.id)}>
                  <td class="pick"
                    ><Tick
                      aria-label="Choose {row.title}"
                      checked={chosen.includes(row.id)}
                      onchange={() => choose(row.id)}
                    /></td
                  >
                  <td class="title"><a href="/packages/{row.id}">{row.title}</a></td>
                  <td><Ring state={row.state} stopped={row.stopped} size={15} /></td>
                  <td class="figure">
                    {#if row.ends_at && row.sent_at}<time datetime={row.ends_at} title={inFull(new Date(row.ends_at))}
                        >{onClock(new Date(row.ends_at))}</time
                      >
                      {#if row.ends_when}<span class="muted">or {row.ends_when}</span>{/if}
                    {:else if row.going_at}<span>goes {untilWhen(new Date(row.going_at), clock.now)}</span>
                    {:else}<span class="muted">not sent</span>{/if}
                  </td>
                  <td class="figure num" title={count(row.items, 'item')}>{row.weight}</td>
                  <td class="who" class:late={row.state === 'closing' && row.strands.some((s) => s.outstanding)}>
                    {row.sent_at ? row.share : ''}
                    {#if row.waiting_letters}<span class="late">· a letter waits</span>{/if}
                  </td>
                  <td class="figure num"
                    >{row.sent_at && row.strands.length ? `${row.opened} of ${row.strands.length}` : ''}</td
                  >
                  <td class="figure seen"
                    >{#if row.seen_at}<time datetime={row.seen_at} title={inFull(new Date(row.seen_at))}
                        >{briefly(new Date(row.seen_at), clock.now)}</time
                      >{/if}</td
                  >
                  <td class="figure num">{row.open_notes || ''}</td>
                </tr>
              {/each}
            </tbody>
          </Table>
        </div>
        {#if shown.next}<Button look="quiet" class="more" onclick={() => more(shown)}>More packages</Button>{/if}
      {:else if !plain}
        <div class="none">
          <p>No package is like that.</p>
          <Button onclick={() => ((filter = 'all'), (find = ''), void list.load())}>Show all</Button>
        </div>
      {:else}
        <div class="none">
          <p>Everything you send is listed here, with its state, its end and who has it.</p>
          <Button look="main" onclick={newPackage}>Pack the first one</Button>
        </div>
      {/if}
    {/snippet}
  </Wait>
</main>
{#if chosen.length}
  <Acts
    {chosen}
    titles={Object.fromEntries(rows.map((r) => [r.id, r.title]))}
    leave={() => (chosen = [])}
    done={() => void list.load()}
  />
{/if}

<style>
  .acts {
    display: flex;
    gap: var(--s-4);
  }
  .ask {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: var(--s-4) var(--s-9);
    margin-bottom: var(--s-6);
  }
  .find {
    display: flex;
    gap: var(--s-4);
  }
  .find :global(.select) {
    min-width: 190px;
  }
  .pick {
    width: 34px;
    line-height: 0;
    vertical-align: middle;
  }
  tr.chosen td {
    background: var(--main-faint);
  }
  .scroll {
    overflow-x: auto;
    border-top: 1px solid var(--ink);
  }
  th {
    text-align: left;
    font-weight: 500;
    font-size: var(--t-small);
    color: var(--muted);
    padding: var(--s-4) var(--s-7) var(--s-2) 0;
    white-space: nowrap;
  }
  td {
    border-top: 1px solid var(--line);
    padding: var(--s-4) var(--s-7) var(--s-4) 0;
    white-space: nowrap;
  }
  .title {
    width: 30%;
    white-space: normal;
    font-weight: 600;
  }
  .title a:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .num {
    text-align: right;
  }
  th:last-child,
  td:last-child {
    padding-right: 0;
  }
  main :global(.more) {
    margin-top: var(--s-7);
  }
  .none {
    display: grid;
    justify-items: start;
    gap: var(--s-7);
    border-block: 1px solid var(--ink);
    padding: var(--s-12) 0;
  }
  @media (--narrow) {
    .scroll {
      overflow: visible;
    }
    thead {
      position: absolute;
      clip-path: inset(50%);
    }
    tbody {
      display: block;
    }
    tr {
      display: grid;
      grid-template-columns: minmax(0, 1fr) max-content;
      gap: var(--s-0) var(--s-6);
      padding: var(--s-5) 0;
      border-bottom: 1px solid var(--line);
    }
    td {
      padding: 0;
      border: 0;
    }
    .title {
      width: auto;
    }
    td.num {
      display: none;
    }
    tr {
      grid-template-columns: 34px minmax(0, 1fr) max-content;
    }
    .pick {
      grid-row: 1 / span 4;
    }
    .title,
    .who {
      grid-column: 2 / -1;
    }
    .ask,
    .find {
      flex-direction: column;
    }
    .ask :global(.which) {
      flex-wrap: nowrap;
      overflow-x: auto;
    }
    .seen {
      grid-column: 2 / -1;
      color: var(--muted);
    }
    .seen:not(:empty)::before {
      content: 'seen ';
    }
    .seen:empty,
    .acts {
      flex-wrap: wrap;
    }
    .headline :global(.key) {
      display: none;
    }
  }
</style>
