<script lang="ts">
  import Table from '$lib/ui/Table.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type PackageRow } from '$api/client';
  import { clock, live } from '$lib/live.svelte';
  import { newPackage } from '$lib/package/new';
  import { inFull, onClock, untilWhen } from '$lib/time';
  import { Resource } from '$lib/resource.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import Ring from '$lib/ui/Ring.svelte';

  const list = new Resource(async () => {
    const page = await need(api.GET('/api/v1/packages', {}));
    return { rows: page.packages, next: page.next };
  });
  let problem = $state('');

  async function more(shown: { rows: PackageRow[]; next: string }) {
    try {
      const page = await need(api.GET('/api/v1/packages', { params: { query: { after: shown.next } } }));
      list.value = { rows: [...shown.rows, ...page.packages], next: page.next };
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  void list.load();
  live('/api/v1/live', (change) => change.what !== 'ledger' && void list.load());
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
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <Wait of={list} shape="rows">
    {#snippet children(shown)}
      {#if shown.rows.length}
        <div class="scroll">
          <Table label="Packages">
            <thead>
              <tr
                ><th>Package</th><th>State</th><th>Ends</th><th class="num">Items</th><th class="num">Weight</th><th
                  >Who has it</th
                ><th class="num">Open notes</th></tr
              >
            </thead>
            <tbody>
              {#each shown.rows as row (row.id)}
                <tr>
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
                  <td class="figure num">{row.items}</td>
                  <td class="figure num">{row.weight}</td>
                  <td class:late={row.state === 'closing' && row.strands.some((s) => s.outstanding)}>
                    {row.sent_at ? row.share : ''}
                    {#if row.waiting_letters}<span class="late">· a letter waits</span>{/if}
                  </td>
                  <td class="figure num">{row.open_notes || ''}</td>
                </tr>
              {/each}
            </tbody>
          </Table>
        </div>
        {#if shown.next}<Button look="quiet" class="more" onclick={() => more(shown)}>Older packages</Button>{/if}
      {:else}
        <div class="none">
          <p>Everything you send is listed here, with its state, its end and who has it.</p>
          <Button look="main" onclick={newPackage}>Pack the first one</Button>
        </div>
      {/if}
    {/snippet}
  </Wait>
</main>

<style>
  .acts {
    display: flex;
    gap: var(--s-4);
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
    width: 34%;
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
      grid-column: 1 / -1;
    }
    td.num {
      display: none;
    }
    td:nth-child(6) {
      grid-column: 1 / -1;
    }
    .headline :global(.key) {
      display: none;
    }
  }
</style>
