<!--
  Who has what: recipients down, items across, strips in the cells. Names stay in view while the items scroll; only
  what is in sight is drawn, so that two hundred by two hundred stays fluid. On a phone each person is a card with all
  of their items in one strip, and the items on a tap.
-->
<script lang="ts">
  import type { Cell, Item, LedgerData, LedgerRow } from '$api/client';
  import { count as counted } from '$lib/count';
  import { formats, suffix } from '$lib/formats';
  import { briefly, inFull, onClock } from '$lib/time';
  import { clock } from '$lib/live.svelte';
  import Saw from '$lib/seen/Saw.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Drawer from '$lib/ui/Drawer.svelte';
  import More from '$lib/ui/More.svelte';
  import Rights from '$lib/ui/Rights.svelte';
  import Strip from '$lib/ui/Strip.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';
  import { onDestroy } from 'svelte';
  import type { Attachment } from 'svelte/attachments';
  import { SvelteSet } from 'svelte/reactivity';

  let { ledger, count, more }: { ledger: LedgerData; count: number; more: () => Promise<void> } = $props();
  let opened = $state<string>('');
  /** the item of which one looks at what people saw, and who was pressed */
  let seeing = $state<Item>();
  let sees = $state(false);
  let whose = $state('');
  function see(item: Item, who = '') {
    [seeing, whose, sees] = [item, who, true];
  }
  // What cannot be looked at has no seconds and no pages; what was taken of it is in its cells.
  const shows = (item: Item) => !['other', 'archive'].includes(item.what);
  const told = (item: Item) => Object.fromEntries(ledger.rows.map((row) => [row.id, has(cellOf(row, item), row)]));
  function has(cell: Cell | undefined, row: LedgerRow): string {
    if (!cell || !may(row, 'take')) return '';
    return cell.completed_at ? `${cell.saying}, ${onClock(new Date(cell.completed_at))}` : cell.saying;
  }

  // The formats of one thing lie beside each other under its name; each is taken, and counted, for itself.
  const things = $derived(formats(ledger.items));
  const columns = $derived(
    things.flatMap((t) => [
      { item: t.head, head: t.head, also: t.also.length },
      ...t.also.map((item) => ({ item, head: t.head, also: t.also.length })),
    ]),
  );
  const cells = $derived(new Map(ledger.rows.map((row) => [row.id, new Map(row.cells.map((c) => [c.item, c]))])));
  const cellOf = (row: LedgerRow, item: Item) => cells.get(row.id)?.get(item.id);

  // What is in sight of the columns.
  const names = 206;
  const least = 112;
  let room = $state(0);
  /** too narrow for names and four items beside them */
  const thumb = $derived(room > 0 && room < names + 4 * least);
  let wide = $state(1000);
  let at = $state(0);
  let box = $state<HTMLElement>();
  const each = $derived(Math.max(least, Math.floor((wide - names) / Math.max(1, columns.length))));
  const fit = $derived(Math.max(1, Math.floor((wide - names) / each)));
  const first = $derived(Math.max(0, Math.floor(at / each) - 1));
  // The same column is the same object while one scrolls, so that its cells have nothing to ask anew.
  const placed = $derived(columns.map((c, i) => ({ ...c, left: i * each })));
  const shown = $derived(placed.slice(first, first + fit + 3));
  // Whoever comes near the last column that is here gets the next ones.
  let fetching = false;
  async function ahead() {
    if (fetching || !ledger.next || at + wide < names + (columns.length - fit) * each) return;
    fetching = true;
    try {
      await more();
    } finally {
      fetching = false;
    }
  }
  const turn = (by: number) => box?.scrollBy({ left: by * Math.max(1, fit - 1) * each });

  // And of the rows: one out of sight is an empty box as high as it was.
  const seen = new SvelteSet<string>();
  const heights: Record<string, number> = {};
  let printing = $state(false);
  const looks =
    typeof IntersectionObserver === 'undefined'
      ? undefined
      : new IntersectionObserver(
          (entries) => {
            for (const { target, isIntersecting, boundingClientRect } of entries) {
              const id = (target as HTMLElement).dataset.id ?? '';
              if (isIntersecting) seen.add(id);
              else if (seen.delete(id)) heights[id] = boundingClientRect.height;
            }
          },
          { rootMargin: '120px 0px' },
        );
  const sight: Attachment = (node) => {
    looks?.observe(node);
    return () => looks?.unobserve(node);
  };
  onDestroy(() => looks?.disconnect());
  const drawn = (row: LedgerRow) => !looks || printing || seen.has(row.id);
  const height = (row: LedgerRow) => (drawn(row) ? undefined : `${heights[row.id] ?? 100}px`);

  const length = (item: Item) => (item.facts.length_us ?? 0) / 1000;
  const may = (row: LedgerRow, verb: LedgerRow['rights'][number]) => (row.rights ?? []).includes(verb);

  // A long name may break where its parts meet, not in the middle of a word.
  const breakable = (name: string) => name.replace(/[._-]/g, '\u200b$&');

  function words(cell: Cell, row: LedgerRow, item: Item): string {
    if (cell.complete && cell.completed_at) return `${cell.brief} ${briefly(new Date(cell.completed_at), clock.now)}`;
    if (cell.brief) return cell.brief;
    if (may(row, 'take')) return '';
    return may(row, 'see') && item.what !== 'other' ? 'may look' : '–';
  }
  /** all items of one person as one strip: the bytes of each one after the other */
  function whole(row: LedgerRow) {
    let from = 0;
    const bytes: { start: number; end: number }[] = [];
    for (const { item } of columns) {
      const cell = cellOf(row, item);
      for (const r of cell?.complete ? [{ start: 0, end: item.size }] : (cell?.bytes ?? []))
        if (bytes.at(-1)?.end === from + r.start) bytes.at(-1)!.end = from + r.end;
        else bytes.push({ start: from + r.start, end: from + r.end });
      from += item.size;
    }
    return { bytes, size: from };
  }
</script>

{#snippet strip(cell: Cell, row: LedgerRow, item: Item)}
  <Strip
    bytes={cell.bytes ?? []}
    size={item.size}
    played={cell.played ?? []}
    length={length(item)}
    complete={cell.complete}
    takes={may(row, 'take')}
    saying="{row.name}, {item.name}: {cell.saying}"
  />
{/snippet}
{#snippet who(row: LedgerRow)}
  <button class="who" onclick={() => (opened = opened === row.id ? '' : row.id)} aria-expanded={opened === row.id}
    >{row.name}</button
  >
  <span class="muted address"
    >{row.removed ? 'taken off the waybill' : row.anyone ? 'a link for anyone' : row.email}</span
  >
{/snippet}
{#snippet sentence(row: LedgerRow)}
  {row.saying}{#if row.last_seen_at}<time
      class="muted"
      datetime={row.last_seen_at}
      title={inFull(new Date(row.last_seen_at))}>, last here {briefly(new Date(row.last_seen_at), clock.now)}</time
    >{/if}
  {#if opened === row.id}
    <ul class="each">
      {#each columns as { item } (item.id)}
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
{/snippet}

<svelte:window onbeforeprint={() => (printing = true)} onafterprint={() => (printing = false)} />

{#if !ledger.rows.length}
  <p class="muted none">Nobody is on the waybill any more.</p>
{:else}
  <div class="ledger" bind:clientWidth={room}>
    {#if !thumb}
      <p class="above figure muted noprint">
        <span class="legend" aria-hidden="true">bytes delivered <i class="b"></i> seconds played <i class="p"></i></span
        >
        {#if columns.length > fit}
          <span class="reach">
            {counted(count, 'item')}, {Math.min(columns.length, Math.floor(at / each) + 1)} to {Math.min(
              columns.length,
              Math.round(at / each) + fit,
            )} in view
            <Button look="quiet" aria-label="Items before" disabled={at < 2} onclick={() => turn(-1)}>←</Button>
            <Button
              look="quiet"
              aria-label="Next items"
              disabled={!ledger.next && at >= columns.length * each - (wide - names) - 2}
              onclick={() => turn(1)}>→</Button
            >
          </span>
        {/if}
      </p>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reachable by key) -->
      <div
        class="scroll"
        bind:this={box}
        bind:clientWidth={wide}
        onscroll={() => ((at = box?.scrollLeft ?? 0), void ahead())}
        role="table"
        aria-label="Who has what"
        aria-rowcount={ledger.rows.length + 1}
        aria-colcount={count + 1}
        tabindex={columns.length > fit ? 0 : undefined}
        style:--names="{names}px"
        style:--each="{each}px"
        style:--wide="{wide}px"
      >
        <div class="row head" role="row" style:width="{names + columns.length * each}px">
          <span class="name" role="columnheader"><span class="visually-hidden">Recipient</span></span>
          {#each shown as { item, head, also, left } (item.id)}
            <span class="cell" role="columnheader" style:left="{names + left}px" title={item.name}>
              {#if item === head}
                {#if shows(head)}<button class="face" onclick={() => see(head)} title="What they saw of {head.name}"
                    ><Thumb item={head} wide /><strong>{breakable(head.name)}</strong></button
                  >{:else}<Thumb item={head} wide /><strong>{breakable(head.name)}</strong>{/if}
              {:else}<span class="of" aria-hidden="true"></span>{/if}
              <span class="figure muted"
                >{#if also}<b>{suffix(item)}</b>{/if}
                {item.weight}</span
              >
            </span>
          {/each}
        </div>
        {#each ledger.rows as row (row.id)}
          <div
            class="row"
            role="row"
            class:gone={row.removed}
            style:width="{names + columns.length * each}px"
            style:height={height(row)}
            data-id={row.id}
            {@attach sight}
          >
            {#if drawn(row)}
              <span class="name" role="rowheader"
                >{@render who(row)}<Rights rights={row.rights ?? []} who={row.name} /></span
              >
              {#each shown as { item, left } (item.id)}
                {@const cell = cellOf(row, item)}
                {#if cell}
                  <span class="cell" role="cell" style:left="{names + left}px">
                    {@render strip(cell, row, item)}
                    {#if shows(item) && (cell.brief || cell.played?.length)}<button
                        class="words muted"
                        onclick={() => see(item, row.id)}
                        aria-label="What {row.name} saw of {item.name}: {words(cell, row, item)}"
                        >{words(cell, row, item)}</button
                      >{:else}<span class="words muted">{words(cell, row, item)}</span>{/if}
                  </span>
                {/if}
              {/each}
              <div class="saying {row.status}" role="cell">{@render sentence(row)}</div>
            {/if}
          </div>
        {/each}
      </div>
    {:else}
      <ul class="cards" aria-label="Who has what">
        {#each ledger.rows as row (row.id)}
          <li class:gone={row.removed} style:height={height(row)} data-id={row.id} {@attach sight}>
            {#if drawn(row)}
              {@const all = whole(row)}
              <div class="top"><span>{@render who(row)}</span><Rights rights={row.rights ?? []} who={row.name} /></div>
              <Strip
                bytes={all.bytes}
                size={all.size}
                complete={row.status === 'everything'}
                takes={may(row, 'take')}
                saying="{row.name}: {row.saying}"
              />
              <p class="saying {row.status}">
                {row.saying}{#if row.last_seen_at}<span class="muted"
                    >, last here {briefly(new Date(row.last_seen_at), clock.now)}</span
                  >{/if}
              </p>
              {#if opened === row.id}
                <ul class="items">
                  {#each columns as { item } (item.id)}
                    {@const cell = cellOf(row, item)}
                    {#if cell}
                      <li>
                        {#if shows(item)}<Button look="link" onclick={() => see(item, row.id)}
                            >What {row.name} saw</Button
                          >{/if}
                        <span class="what">{item.name}<span class="muted">{words(cell, row, item)}</span></span>
                        {@render strip(cell, row, item)}
                      </li>
                    {/if}
                  {/each}
                </ul>
              {:else}
                <Button
                  look="link"
                  onclick={() => (opened = row.id)}
                  aria-label="{counted(count, 'item')} of {row.name}">{counted(count, 'item')}</Button
                >
              {/if}
            {/if}
          </li>
        {/each}
      </ul>
    {/if}
  </div>
  {#if seeing}
    <Drawer bind:open={sees} title={seeing.name}><Saw item={seeing} says={told(seeing)} first={whose} /></Drawer>
  {/if}
  {#if ledger.next}<More shown={ledger.items.length} {count} {more} />{/if}
{/if}

<style>
  .face {
    display: block;
    width: 100%;
    text-align: left;
  }
  .above {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: var(--s-7);
    min-height: 40px;
  }
  .legend i {
    display: inline-block;
    width: 26px;
    vertical-align: middle;
    margin: 0 var(--s-6) 0 var(--s-1);
  }
  .legend .b {
    height: 8px;
    background: var(--main);
  }
  .legend .p {
    height: 2px;
    background: var(--seen);
  }
  .reach {
    display: inline-flex;
    align-items: center;
    gap: var(--s-3);
    color: var(--ink);
    font-family: var(--font-sans);
  }
  .reach :global(.button) {
    min-height: 28px;
    padding: 0 var(--s-4);
  }
  .scroll {
    overflow-x: auto;
    border-top: 1px solid var(--line);
  }
  .row {
    position: relative;
    min-height: 96px;
    padding: var(--s-5) 0 var(--s-4);
    border-top: 1px solid var(--line);
    content-visibility: auto;
    contain-intrinsic-size: auto 118px;
  }
  .head {
    min-height: 146px;
    border-top: 0;
    content-visibility: visible;
  }
  .head .cell > :global(:first-child) {
    max-width: 132px;
  }
  .name {
    position: sticky;
    left: 0;
    z-index: 2;
    display: block;
    float: left;
    width: calc(var(--names) - 10px);
    min-height: 74px;
    padding-right: var(--s-4);
    background: var(--ground);
  }
  .cell {
    position: absolute;
    z-index: 1; /* over the sentence, which begins under it; below the names */
    top: 16px;
    width: calc(var(--each) - 14px);
  }
  .head .cell {
    top: 12px;
    font-size: var(--t-control);
  }
  .head strong {
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    overflow: hidden;
    overflow-wrap: anywhere;
    font-weight: 600;
    line-height: 1.25;
    margin: var(--s-1) 0 1px;
  }
  .head .figure {
    font-size: var(--t-tiny);
  }
  .head b {
    color: var(--ink);
    font-weight: 600;
  }
  .of {
    display: block;
    margin: var(--s-9) 0 var(--s-11);
    border-top: 2px dotted var(--perforation);
  }
  .who {
    display: block;
    min-height: 24px;
    font-weight: 600;
    text-align: left;
  }
  .who:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .address {
    display: block;
    font-size: var(--t-small);
    overflow: hidden;
    text-overflow: ellipsis;
    margin-bottom: var(--s-1);
  }
  .words {
    display: block;
    font-size: var(--t-small);
    line-height: 1.35;
    margin-top: var(--s-0);
  }
  .row > .saying {
    position: sticky;
    left: var(--names);
    clear: none;
    width: calc(var(--wide) - var(--names));
    padding-top: var(--s-12);
    margin-left: var(--names);
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
  .each {
    color: var(--ink);
    margin-top: var(--s-2);
  }
  .none {
    padding: var(--s-9) 0;
  }
  .cards > li {
    padding: var(--s-6) 0;
    border-bottom: 1px solid var(--line);
  }
  .top {
    display: flex;
    justify-content: space-between;
    align-items: start;
    gap: var(--s-4);
    margin-bottom: var(--s-3);
  }
  .cards .saying {
    margin-top: var(--s-2);
  }
  .items {
    margin-top: var(--s-3);
  }
  .items li {
    padding: var(--s-3) 0;
    border-top: 1px solid var(--line);
  }
  .what {
    display: flex;
    justify-content: space-between;
    gap: var(--s-5);
    font-size: var(--t-control);
    margin-bottom: var(--s-1);
    overflow-wrap: anywhere;
  }
  .what .muted {
    white-space: nowrap;
  }
</style>
