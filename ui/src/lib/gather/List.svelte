<!--
  The list in Gather, as rows or as pictures. Only what is on screen is drawn, so that a folder of tens of
  thousands is as quick as a small one; the next page is fetched before its end comes into view.
-->
<script lang="ts">
  import { untrack } from 'svelte';
  import RowFacts from './RowFacts.svelte';
  import { order } from './acts';
  import { Layout } from './layout';
  import { gather, type Order, type Row } from './gather.svelte';

  interface Props {
    open: (row: Row) => void;
    /** things were dropped on a place */
    put: (place: string) => void;
    /** files from outside were dropped on a row */
    take: (data: DataTransfer, onto: Row) => void;
    menu: (x: number, y: number) => void;
    rename: (row: Row) => void;
  }
  let { open, put, take, menu, rename }: Props = $props();

  let list = $state<HTMLElement>();
  let width = $state(1000);
  let top = $state(0);
  let height = $state(800);
  let over = $state('');
  /** what becomes of the file that is held over that row */
  let fated = $state('');
  let before = $state<string | null>(null);

  const heads: [Order, string, string][] = [
    ['name', 'name', '2'],
    ['length', 'length', '3'],
    ['size', 'size', '6'],
    ['changed', 'changed', '7'],
  ];
  const rowHeight = 54;
  const widths = $derived(
    width < 560 ? { small: 100, middle: 160, large: 300 } : { small: 148, middle: 212, large: 320 },
  );
  const pictures = $derived(gather.liking.pictures);
  const columns = $derived(pictures ? Math.max(1, Math.floor((width + 20) / (widths[gather.liking.size] + 20))) : 1);
  const lineHeight = $derived(pictures ? Math.round(((width - (columns - 1) * 20) / columns) * 0.64) + 62 : rowHeight);
  const layout = $derived(new Layout(gather.groups, columns, lineHeight, 40));
  const ahead = $derived(6 * lineHeight);
  const shown = $derived(layout.between(top - ahead, top + height + ahead));

  function look() {
    if (!list) return;
    top = Math.max(0, -list.getBoundingClientRect().top);
    height = window.innerHeight;
    width = list.clientWidth;
  }
  $effect(() => {
    void gather.rows;
    untrack(look);
  });
  $effect(() => {
    // Groups are only whole once everything is there.
    if ((top + height + 2 * ahead >= layout.height || gather.liking.grouped) && gather.next) void gather.page();
  });

  function follow(to: number) {
    if (!list || to < 0) return;
    const y = list.getBoundingClientRect().top + window.scrollY + layout.at(to).top;
    const head = 150;
    if (y < window.scrollY + head) window.scrollTo({ top: y - head });
    else if (y + lineHeight > window.scrollY + window.innerHeight - 90)
      window.scrollTo({ top: y + lineHeight - window.innerHeight + 90 });
  }
  export function focus() {
    list?.focus({ preventScroll: true });
  }

  /** Whether a finger did it. Where the browser does not say, the screen tells. */
  const touched = (event: MouseEvent) =>
    'pointerType' in event && event.pointerType
      ? event.pointerType === 'touch'
      : window.matchMedia('(pointer: coarse)').matches;
  function click(event: MouseEvent, row: Row) {
    // A finger has no modifier keys: the mark at its end chooses, anything else opens.
    if ((event.target as HTMLElement).closest('.pick')) gather.choose(row.id, 'also');
    else if (touched(event)) open(row);
    else gather.choose(row.id, event.shiftKey ? 'to' : event.ctrlKey || event.metaKey ? 'also' : 'one');
  }
  function context(event: MouseEvent, row: Row) {
    event.preventDefault();
    if (!gather.chosen.has(row.id)) gather.choose(row.id);
    menu(event.clientX, event.clientY);
  }

  function press(event: KeyboardEvent) {
    const move = (by: number) => follow(gather.step(by, event.shiftKey));
    const row = gather.rows.find((r) => r.id === gather.at);
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      shift(event.key === 'ArrowUp' ? -1 : 1);
    } else if (event.altKey) return;
    else if (event.key === 'ArrowDown') move(columns);
    else if (event.key === 'ArrowUp') move(-columns);
    else if (event.key === 'ArrowRight' && columns > 1) move(1);
    else if (event.key === 'ArrowLeft' && columns > 1) move(-1);
    else if (event.key === 'Home') move(-1e9);
    else if (event.key === 'End') move(1e9);
    else if (event.key === 'PageDown') move(columns * Math.floor(height / lineHeight));
    else if (event.key === 'PageUp') move(-columns * Math.floor(height / lineHeight));
    else if ((event.key === 'Enter' || event.key === ' ') && !event.ctrlKey && !event.metaKey && row) open(row);
    else if (event.key === 'F2' && row) rename(row);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** Moves what is chosen up or down by one in the order by hand. */
  function shift(by: 1 | -1) {
    if (!gather.ordered || !gather.pickedThings.length) return;
    const things = gather.things;
    const at = things.map((t, i) => (gather.chosen.has(t.id) ? i : -1)).filter((i) => i >= 0);
    const target = by < 0 ? things[at[0]! - 1] : things[at.at(-1)! + 2];
    if (by < 0 && !target) return;
    if (by > 0 && at.at(-1)! >= things.length - 1) return;
    void order(
      gather.pickedThings.map((t) => t.id),
      target?.id ?? '',
    );
  }

  /** What becomes of a file from outside that is dropped on a row; empty: it goes where the list is. */
  function fate({ place, thing }: Row): string {
    if (place) return place.kind === 'client' ? '' : `Add to ${place.name}`;
    return { file: 'Next version of this', link: 'Its picture', swatch: '', sheet: '' }[thing.kind] ?? '';
  }

  // Dragging: onto a place to move, between things to put in order; from outside onto a place or a thing.
  const ours = 'application/x-aftergust';
  function drag(event: DragEvent, row: Row) {
    if (!gather.chosen.has(row.id)) gather.choose(row.id);
    event.dataTransfer?.setData(ours, 'things');
    if (event.dataTransfer) event.dataTransfer.effectAllowed = 'copyMove';
  }
  function hover(event: DragEvent, row: Row) {
    fated = event.dataTransfer?.types.includes('Files') ? fate(row) : '';
    if (fated) over = row.id;
    if (!event.dataTransfer?.types.includes(ours)) return;
    if (row.place && !gather.chosen.has(row.id)) {
      event.preventDefault();
      over = row.id;
      before = null;
    } else if (row.thing && gather.ordered) {
      event.preventDefault();
      over = '';
      const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
      const late = pictures ? event.clientX > box.left + box.width / 2 : event.clientY > box.top + box.height / 2;
      const index = gather.things.findIndex((t) => t.id === row.id);
      before = late ? (gather.things[index + 1]?.id ?? '') : row.id;
    }
  }
  function drop(event: DragEvent, row: Row) {
    const outside = event.dataTransfer?.types.includes('Files') && fate(row);
    const to = before;
    over = fated = '';
    before = null;
    if (!event.dataTransfer || !(outside || event.dataTransfer.types.includes(ours))) return;
    event.preventDefault();
    event.stopPropagation();
    if (outside) return take(event.dataTransfer, row);
    if (row.place) put(row.id);
    else if (to !== null)
      void order(
        gather.pickedThings.map((t) => t.id),
        to,
      );
  }

  /** the order that the list has */
  const by = $derived(gather.where.view === 'lately' ? { order: 'changed', down: true } : gather.liking);
</script>

<svelte:window onscroll={look} onresize={look} />

{#if !pictures}
  <div class="heads">
    {#each heads as [order, name, span] (name)}
      <button
        style:grid-column={span}
        disabled={gather.where.view === 'lately'}
        aria-pressed={by.order === order}
        onclick={() => gather.like(by.order === order ? { down: !by.down } : { order })}
        >{name}{by.order === order ? (by.down ? ' ↓' : ' ↑') : ''}</button
      >
    {/each}
  </div>
{/if}
<div
  bind:this={list}
  class="list"
  class:pictures
  role="listbox"
  aria-label="Things here"
  aria-multiselectable="true"
  aria-activedescendant={gather.at ? `row-${gather.at}` : undefined}
  tabindex="0"
  style:height="{layout.height}px"
  onkeydown={press}
>
  {#snippet line(row: Row, index: number)}
    {@const at = layout.at(index)}
    {@const chosen = gather.chosen.has(row.id)}
    <!-- svelte-ignore a11y_click_events_have_key_events (the list has the keys) -->
    <div
      id="row-{row.id}"
      class="row"
      class:chosen
      class:at={gather.at === row.id}
      class:over={over === row.id}
      class:before={before !== null && before === row.id}
      role="option"
      tabindex="-1"
      aria-selected={chosen}
      draggable="true"
      style:top="{at.top}px"
      style:left={pictures ? `calc((100% + 20px) / ${columns} * ${at.column})` : '0'}
      style:width={pictures ? `calc((100% + 20px) / ${columns} - 20px)` : '100%'}
      style:height="{lineHeight - (pictures ? 14 : 0)}px"
      onclick={(e) => (focus(), click(e, row))}
      ondblclick={() => open(row)}
      oncontextmenu={(e) => context(e, row)}
      ondragstart={(e) => drag(e, row)}
      ondragover={(e) => hover(e, row)}
      ondragleave={() => ((over = ''), (before = null))}
      ondrop={(e) => drop(e, row)}
    >
      {#if over === row.id && fated}<span class="fate">{fated}</span>{/if}
      <RowFacts {row} {pictures} />
      <span class="pick" aria-hidden="true">{chosen ? '✓' : ''}</span>
    </div>
  {/snippet}
  {#each shown as group (group.from)}
    {#if group.name}
      <div role="group" aria-labelledby="group-{group.from}">
        <p id="group-{group.from}" class="group" style:top="{group.top - layout.headHeight}px">
          {group.name} <span class="figure">{group.count}</span>
        </p>
        {#each gather.rows.slice(group.first, group.last) as row, i (row.id)}{@render line(row, group.first + i)}{/each}
      </div>
    {:else}
      {#each gather.rows.slice(group.first, group.last) as row, i (row.id)}{@render line(row, group.first + i)}{/each}
    {/if}
  {/each}
</div>

<style>
  .heads {
    display: grid;
    grid-template-columns: 64px minmax(0, 1fr) 70px 110px 106px 70px 84px;
    gap: var(--s-7);
    padding: var(--s-1) var(--s-4);
    font-size: var(--t-small);
    color: var(--muted);
    border-bottom: 1px solid var(--line);
  }
  .heads button {
    text-align: right;
    min-height: 24px;
    white-space: nowrap;
  }
  .heads button:first-child {
    text-align: left;
  }
  .heads button:hover:not(:disabled),
  .heads [aria-pressed='true'] {
    color: var(--ink);
  }
  .heads [aria-pressed='true'] {
    font-weight: 600;
  }
  .list.pictures {
    margin: var(--s-4) calc(var(--s-3) * -1) 0;
  }
  .list {
    position: relative;
    min-height: 40px;
  }
  .list:focus-visible {
    outline: none;
  }
  .group {
    position: absolute;
    left: 0;
    right: 0;
    height: 40px;
    padding: var(--s-6) var(--s-4) var(--s-1);
    line-height: 22px;
    font-weight: 600;
    border-bottom: 1px solid var(--line);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .pictures .group {
    left: 9px;
    right: 9px;
    padding-inline: 0;
  }
  .group .figure {
    margin-left: var(--s-2);
    font-weight: 400;
    color: var(--muted);
  }
  .row {
    position: absolute;
    display: grid;
    grid-template-columns: 64px minmax(0, 1fr) 70px 110px 106px 70px 84px;
    gap: var(--s-7);
    align-items: center;
    padding: 0 var(--s-4);
    border-bottom: 1px solid var(--line);
    user-select: none;
    cursor: default;
  }
  .row:hover {
    background: color-mix(in srgb, var(--surface) 70%, transparent);
  }
  .chosen,
  .chosen:hover {
    background: var(--main-faint);
  }
  .list:focus-visible .at {
    outline: 2px solid var(--main);
    outline-offset: -2px;
  }
  .over {
    background: var(--late-faint);
    outline: 2px dashed var(--late);
    outline-offset: -2px;
  }
  .fate {
    position: absolute;
    right: 8px;
    top: 50%;
    translate: 0 -50%;
    z-index: 1;
    padding: var(--s-0) var(--s-5);
    border-radius: var(--radius);
    background: var(--late);
    color: var(--surface);
    font-size: var(--t-control);
    font-weight: 600;
    pointer-events: none;
  }
  .before::before {
    content: '';
    position: absolute;
    left: 0;
    right: 0;
    top: -2px;
    height: 3px;
    background: var(--main);
  }
  .pictures .before::before {
    inset: 0 auto 0 -11px;
    width: 3px;
    height: auto;
  }
  .pictures .row {
    display: flex;
    flex-direction: column;
    align-items: stretch;
    gap: var(--s-2);
    padding: var(--s-3);
    border: 1px solid transparent;
    border-radius: var(--radius);
  }
  .pick {
    display: none;
  }
  @media (--thumb) {
    .pick {
      display: grid;
      place-items: center;
      position: absolute;
      z-index: 1;
      right: 0;
      top: 0;
      width: 48px;
      height: 100%;
      color: var(--on-main);
      font-size: var(--t-small);
      font-weight: 700;
    }
    .pick::before {
      content: '';
      position: absolute;
      width: 22px;
      height: 22px;
      border: 1.5px solid var(--perforation);
      border-radius: 50%;
      background: var(--surface);
      z-index: -1;
    }
    .chosen .pick::before {
      background: var(--main);
      border-color: var(--main);
    }
    .row {
      padding-right: var(--s-12);
    }
    .pictures .row {
      padding-right: var(--s-3);
    }
    .pictures .pick {
      height: 48px;
    }
  }
  @media (--below-wide) {
    .heads {
      display: none;
    }
    .row {
      grid-template-columns: 64px minmax(0, 1fr) 84px 76px;
    }
  }
  @media (--phone) {
    .row {
      grid-template-columns: 64px minmax(0, 1fr) 72px;
      gap: var(--s-5);
    }
  }
</style>
