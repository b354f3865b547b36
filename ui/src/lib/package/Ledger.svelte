<!-- Recipients down, items across, strips in the cells. -->
<script lang="ts">
  import Table from '$lib/ui/Table.svelte';
  import type { Cell, Item, LedgerData, LedgerRow } from '$api/client';
  import { formats, suffix } from '$lib/formats';
  import { briefly, inFull, onClock } from '$lib/time';
  import { clock } from '$lib/live.svelte';
  import More from '$lib/ui/More.svelte';
  import Rights from '$lib/ui/Rights.svelte';
  import Strip from '$lib/ui/Strip.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';

  let { ledger, count, more }: { ledger: LedgerData; count: number; more: () => Promise<void> } = $props();
  let opened = $state<string>('');

  // The formats of one thing lie beside each other under its name; each is taken, and counted, for itself.
  const things = $derived(formats(ledger.items));
  const columns = $derived(things.flatMap((t) => [t.head, ...t.also]));
  const cellOf = (row: LedgerRow, item: Item) => row.cells.find((c) => c.item === item.id);

  const length = (item: Item) => (item.facts.length_us ?? 0) / 1000;
  const mayTake = (row: LedgerRow) => (row.rights ?? []).includes('take');

  // A long name may break where its parts meet, not in the middle of a word.
  const breakable = (name: string) => name.replace(/[._-]/g, '\u200b$&');

  function words(cell: Cell, row: LedgerRow, item: Item): string {
    if (cell.complete) return cell.completed_at ? `took ${briefly(new Date(cell.completed_at), clock.now)}` : 'took';
    if (cell.delivered) return cell.saying.split(',')[0]!.split(';')[0]!;
    if (cell.behind) return 'older version';
    if (!(row.rights ?? []).includes('see') && !mayTake(row)) return '–';
    if (cell.looked_at || cell.played?.length) return 'looked';
    if (mayTake(row)) return '';
    return item.what === 'other' ? '–' : 'may look';
  }
</script>

{#if !ledger.rows.length}
  <p class="muted none">Nobody is on the waybill any more.</p>
{:else}
  <div class="scroll">
    <Table label="Who has what" style="min-width: {210 + ledger.items.length * 96}px">
      <thead>
        <tr>
          <th scope="col" rowspan="2"><span class="visually-hidden">Recipient</span></th>
          {#each things as { head, also } (head.id)}
            <th scope="colgroup" colspan={also.length + 1}>
              <span class="face" style:width="calc((100% - {also.length * 14}px) / {also.length + 1})"
                ><Thumb item={head} wide /></span
              >
              <span class="name" title={head.name}>{breakable(head.name)}</span>
            </th>
          {/each}
        </tr>
        <tr>
          {#each things as { head, also } (head.id)}
            {#each [head, ...also] as item (item.id)}
              <th scope="col" class="figure muted" title={item.name}
                >{#if also.length}<strong>{suffix(item)}</strong>{/if}
                {item.weight}</th
              >
            {/each}
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each ledger.rows as row (row.id)}
          <tr class:gone={row.removed}>
            <th scope="row" rowspan="2">
              <button onclick={() => (opened = opened === row.id ? '' : row.id)} aria-expanded={opened === row.id}
                >{row.name}</button
              >
              <span class="muted"
                >{row.removed ? 'taken off the waybill' : row.anyone ? 'a link for anyone' : row.email}</span
              >
              <Rights rights={row.rights ?? []} who={row.name} />
            </th>
            {#each columns as item (item.id)}
              {@const cell = cellOf(row, item)}
              {#if cell}
                <td>
                  <Strip
                    bytes={cell.bytes ?? []}
                    size={item.size}
                    played={cell.played ?? []}
                    length={length(item)}
                    complete={cell.complete}
                    takes={mayTake(row)}
                    saying="{row.name}, {item.name}: {cell.saying}"
                  />
                  <span class="cell muted">{words(cell, row, item)}</span>
                </td>
              {/if}
            {/each}
          </tr>
          <tr class="saying">
            <td colspan={ledger.items.length} class={row.status}>
              {row.saying}{#if row.last_seen_at}<time
                  class="muted"
                  datetime={row.last_seen_at}
                  title={inFull(new Date(row.last_seen_at))}
                  >, last here {briefly(new Date(row.last_seen_at), clock.now)}</time
                >{/if}
              {#if opened === row.id}
                <ul>
                  {#each columns as item (item.id)}
                    {@const cell = cellOf(row, item)}
                    {#if cell}
                      <li>
                        <strong>{item.name}</strong>: {cell.saying}{#if cell.completed_at}, {onClock(
                            new Date(cell.completed_at),
                          )}{/if}
                      </li>
                    {/if}
                  {/each}
                </ul>
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </Table>
  </div>
  {#if ledger.next}<More shown={ledger.items.length} {count} {more} />{/if}
{/if}

<style>
  .scroll {
    overflow-x: auto;
  }
  .scroll :global(table) {
    table-layout: fixed;
  }
  thead th {
    text-align: left;
    padding: 12px 14px 2px 0;
    font-weight: 600;
    font-size: var(--t-control);
    vertical-align: top;
  }
  thead th:first-child {
    width: 206px;
  }
  .name {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    overflow: hidden;
    overflow-wrap: anywhere;
    line-height: 1.25;
    margin: 5px 0 1px;
  }
  thead th.figure {
    padding-top: 0;
    font-size: var(--t-tiny);
    font-weight: 400;
  }
  thead .figure strong {
    color: var(--ink);
    font-weight: 600;
  }
  .face {
    display: block;
  }
  tbody th {
    text-align: left;
    font-weight: 400;
    vertical-align: top;
    padding: 10px 14px 12px 0;
    border-top: 1px solid var(--line);
  }
  tbody th button {
    display: block;
    font-weight: 600;
    text-align: left;
  }
  tbody th button:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  tbody th .muted {
    display: block;
    font-size: var(--t-small);
    overflow: hidden;
    text-overflow: ellipsis;
    margin-bottom: 4px;
  }
  tbody td {
    vertical-align: top;
    padding: 15px 14px 0 0;
    border-top: 1px solid var(--line);
  }
  .cell {
    display: block;
    font-size: var(--t-small);
    line-height: 1.35;
    margin-top: 3px;
    min-height: 18px;
  }
  .saying td {
    border-top: 0;
    padding: 2px 0 10px;
    font-size: var(--t-control);
  }
  .everything {
    color: var(--main);
  }
  .partly,
  .not_opened,
  .opened {
    color: var(--late);
  }
  .looked {
    color: var(--seen);
  }
  .gone {
    opacity: 0.65;
  }
  ul {
    color: var(--ink);
    margin-top: 6px;
  }
  .none {
    padding: 24px 0;
  }
</style>
