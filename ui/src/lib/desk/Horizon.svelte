<!--
  The Horizon: each package that is out as a line from sending to its end, one strand for each recipient, dotted while
  they have not everything, solid from the moment they do, thin after now. Many recipients are one band that fills.
  Time runs left to right; it is zoomed and moved by wheel, fingers, pointer and keys, and an end is dragged to extend.
-->
<script lang="ts">
  import type { PackageRow } from '$api/client';
  import { goto } from '$app/navigation';
  import { count } from '$lib/count';
  import Stop from '$lib/package/Stop.svelte';
  import { left, zone as here } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import { SvelteMap } from 'svelte/reactivity';
  import type { Attachment } from 'svelte/attachments';
  import { untrack } from 'svelte';
  import { Acting } from './acting.svelte';
  import Drawn from './Drawn.svelte';
  import * as sheet from './horizon';

  let { rows, now, changed }: { rows: PackageRow[]; now: Date; changed?: () => void } = $props();

  let width = $state(1216);
  let typed = $state('');
  let show = $state<sheet.Show>('all');
  /** the stretch that somebody chose; null: all of it */
  let chosen = $state<sheet.Window | null>(null);

  const shown = $derived(sheet.wanted(rows, typed, show));
  const all = $derived(sheet.groups(shown));
  const narrow = $derived(width < 720);
  const dense = $derived(shown.length > 14);
  const gutter = $derived(narrow ? 4 : dense ? 250 : 184);
  const tail = 150; // room for the words behind the last end
  const view = $derived(chosen ?? sheet.fit(rows, now.getTime()));
  const span = $derived(view.until - view.from);
  const breadth = $derived(Math.max(40, width - gutter - tail));
  const perPixel = $derived(span / breadth);
  const bare = (at: number) => gutter + ((at - view.from) / span) * breadth;
  const x = (at: number) => Math.min(gutter + breadth, Math.max(gutter, bare(at)));
  const inside = (at: number) => at >= view.from && at <= view.until;
  const nowX = $derived(x(now.getTime()));
  const nowShows = $derived(inside(now.getTime()));

  // Clients are folded by hand, and where there are very many lines those of which nothing ends soon.
  const byHand = new SvelteMap<string, boolean>();
  const folded = (g: sheet.Group) =>
    byHand.get(g.client) ?? (shown.length > 40 && all.length > 1 && !g.soon && !typed && show === 'all');

  const laid = $derived(sheet.lay(all, folded, dense, narrow));
  const days = $derived.by(() => {
    let free = 0; // where the last label ends
    return sheet.marks(view, breadth).map((m) => {
      const at = bare(m.at);
      const fits = !!m.label && at >= free && (!nowShows || at + 104 < nowX - 46 || at > nowX + 46);
      if (fits) free = at + 108;
      return { x: at, label: fits ? m.label : '', strong: m.strong };
    });
  });
  const told = (row: PackageRow) =>
    `${row.title}: ${row.share}, ${row.left} left. ` + row.strands.map((s) => `${s.name} ${s.saying}`).join('; ');

  // Zoom and scroll.
  const around = () => (nowShows ? now.getTime() : (view.from + view.until) / 2);
  const zoomBy = (by: number, at = around()) => (chosen = sheet.zoom(view, by, at));
  const slideBy = (share: number) => (chosen = sheet.slide(view, share, now.getTime()));
  const at = (e: { clientX: number; currentTarget: EventTarget | null }) =>
    view.from + (e.clientX - (e.currentTarget as HTMLElement).getBoundingClientRect().left - gutter) * perPixel;
  const wheels: Attachment<HTMLElement> = (node) => {
    const turn = (e: WheelEvent) => {
      const along = e.shiftKey && !e.deltaX ? e.deltaY : e.deltaX;
      if (e.ctrlKey || e.metaKey) zoomBy(Math.exp(-e.deltaY / 240), at({ clientX: e.clientX, currentTarget: node }));
      else if (Math.abs(along) > Math.abs(e.shiftKey ? 0 : e.deltaY)) slideBy(along / breadth);
      else return; // the page scrolls
      e.preventDefault();
    };
    node.addEventListener('wheel', turn, { passive: false });
    return () => node.removeEventListener('wheel', turn);
  };
  const fingers = new SvelteMap<number, number>();
  let moved = false;
  function down(e: PointerEvent & { currentTarget: HTMLElement }) {
    if (e.button || (e.target as HTMLElement).closest('a, button, .end')) return;
    fingers.set(e.pointerId, e.clientX);
    moved = false;
  }
  function move(e: PointerEvent & { currentTarget: HTMLElement }) {
    const before = fingers.get(e.pointerId);
    if (before === undefined || before === e.clientX) return;
    const other = [...fingers].find(([id]) => id !== e.pointerId)?.[1];
    if (!moved) e.currentTarget.setPointerCapture?.(e.pointerId);
    moved = true;
    if (other === undefined) slideBy((before - e.clientX) / breadth);
    else {
      const by = Math.abs(e.clientX - other) / Math.max(8, Math.abs(before - other));
      zoomBy(by, at({ clientX: (e.clientX + other) / 2, currentTarget: e.currentTarget }));
    }
    fingers.set(e.pointerId, e.clientX);
  }
  const up = (e: PointerEvent) => fingers.delete(e.pointerId);

  function keys(e: KeyboardEvent & { currentTarget: HTMLElement }) {
    const target = e.target as HTMLElement;
    if (target.closest('input, .end, [role=menu], dialog') || e.ctrlKey || e.metaKey || e.altKey) return;
    const id = target.closest<HTMLElement>('[data-row]')?.dataset.row;
    const row = shown.find((r) => r.id === id);
    const walk = (by: number) => {
      const titles = [...e.currentTarget.querySelectorAll<HTMLElement>('.title, .fold')];
      const next = titles[titles.indexOf(target) + by];
      next?.focus();
      return !!next;
    };
    const acts: Record<string, () => unknown> = {
      ArrowLeft: () => slideBy(-0.125),
      ArrowRight: () => slideBy(0.125),
      '+': () => zoomBy(1.5),
      '=': () => zoomBy(1.5),
      '-': () => zoomBy(1 / 1.5),
      '0': () => (chosen = null),
      ArrowDown: () => walk(1),
      ArrowUp: () => walk(-1),
      ...(row && {
        e: () => e.currentTarget.querySelector<HTMLElement>(`[data-end="${row.id}"]`)?.focus(),
        r: () => acting.remind(row),
        s: () => ((stopping = row), (asks = true)),
      }),
    };
    const act = acts[e.key];
    if (!act || act() === false) return;
    e.preventDefault();
    e.stopPropagation();
  }

  // An end that is moved stands where it would be until it is let go.
  const acting = untrack(
    () =>
      new Acting(
        () => now,
        () => changed?.(),
      ),
  );
  const heldRow = $derived(rows.find((r) => r.id === acting.holds)); // none where somebody stopped it meanwhile
  function take(e: PointerEvent & { currentTarget: HTMLElement }, row: PackageRow) {
    if (e.button) return;
    e.preventDefault();
    e.currentTarget.focus();
    e.currentTarget.setPointerCapture?.(e.pointerId);
    acting.take(row, e.clientX);
  }
  function endKeys(e: KeyboardEvent, row: PackageRow) {
    const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (by) {
      acting.by(row, by * (e.shiftKey ? sheet.day : sheet.hour));
      if (!inside(acting.to)) chosen = sheet.slide(view, by * 0.25, now.getTime());
    } else if (e.key === 'Enter') void acting.drop(row);
    else if (e.key !== 'Escape' || !acting.leave(row)) return;
    e.preventDefault();
    e.stopPropagation();
  }
  const saysEnd = (row: PackageRow, at: number) =>
    [`${sheet.inWords(at)}, ${left(new Date(at), now)} left`, ...sheet.clocks(row, at, here)].join(' · ');

  // What is done from here.
  let stopping = $state<PackageRow>();
  let asks = $state(false);
  const outstanding = (row: PackageRow) => row.strands.filter((s) => s.outstanding && !s.anyone).length;
  const acts = (row: PackageRow) => [
    { name: 'Open', note: 'Enter', do: () => void goto(`/packages/${row.id}`) },
    {
      name: 'Move its end',
      note: 'E',
      do: () => document.querySelector<HTMLElement>(`[data-end="${row.id}"]`)?.focus(),
    },
    { name: outstanding(row) ? `Remind ${count(outstanding(row), 'person', 'people')}` : 'Remind', note: 'R', off: !outstanding(row), do: () => void acting.remind(row) }, // prettier-ignore
    { name: 'Stop…', note: 'S', wrong: true, do: () => ((stopping = row), (asks = true)) },
  ];
</script>

{#if rows.length > 8}
  <div class="tools noprint">
    <Field
      aria-label="Find in the Horizon"
      placeholder="Find a package, client, person"
      bind:value={typed}
      class="find"
    />
    <Choice
      label="Which packages"
      options={[
        { value: 'all', name: 'All' },
        { value: 'soon', name: 'End soon' },
        { value: 'outstanding', name: 'Outstanding' },
      ]}
      bind:value={() => show, (to) => (show = to as sheet.Show)}
    />
  </div>
{/if}
{#if acting.problem}<p class="wrong" role="alert">{acting.problem}</p>{/if}
<!-- svelte-ignore a11y_no_noninteractive_element_interactions (what is done here by pointer is done by keys and buttons too) -->
<div
  class="horizon"
  class:moves={fingers.size}
  role="group"
  aria-label="Horizon: arrows left and right move time, plus and minus zoom"
  bind:clientWidth={width}
  style:height="{laid.height}px"
  onkeydown={keys}
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointercancel={up}
  {@attach wheels}
>
  <Drawn sheet={laid} {days} {width} {x} {inside} endOf={acting.endOf} held={acting.holds} {now} />
  <span class="zoom noprint">
    {#if chosen}<Button look="link" onclick={() => (chosen = null)} title="0">Show all of it</Button>{/if}
    <Button look="quiet" aria-label="Further" title="− or Ctrl and the wheel" onclick={() => zoomBy(1 / 1.5)}>−</Button>
    <Button look="quiet" aria-label="Nearer" title="+ or Ctrl and the wheel" onclick={() => zoomBy(1.5)}>+</Button>
  </span>
  {#each laid.heads as head (head.group.client)}
    {@const name = head.group.client || 'For no client'}
    {#if all.length > 1 || head.group.client}
      <button
        class="fold"
        aria-expanded={!head.shut}
        style:top="{head.top}px"
        style:max-width="{narrow ? width : gutter - 12}px"
        title="{name}, {count(head.group.rows.length, 'package')}{head.group.soon
          ? `, ${head.group.soon} end soon`
          : ''}"
        onclick={() => byHand.set(head.group.client, !head.shut)}
      >
        <span class="client">{name}</span>
        {#if head.shut}<span class="muted"
            >{head.group.rows.length}{head.group.soon ? `, ${head.group.soon} soon` : ' out'}</span
          >{/if}
      </button>
    {/if}
    {#if head.lines.length}
      <ul aria-label={name}>
        {#each head.lines as p (p.row.id)}
          {@const end = acting.endOf(p.row)}
          {@const sent = x(Date.parse(p.row.sent_at ?? p.row.created_at))}
          <li data-row={p.row.id}>
            <a
              class="title {p.row.state}"
              href="/packages/{p.row.id}"
              draggable="false"
              style:left={dense && !narrow ? '0' : `${Math.max(gutter, Math.min(sent, width - 240))}px`}
              style:top="{p.top}px"
              style:max-width={dense && !narrow ? `${gutter - 14}px` : undefined}
              aria-label={told(p.row)}>{p.row.title}</a
            >
            {#if inside(end)}
              <span
                class="end"
                class:held={acting.holds === p.row.id}
                role="slider"
                tabindex="0"
                data-end={p.row.id}
                aria-label="End of {p.row.title}; arrow keys move it by an hour, with Shift by a day, Enter sets it"
                aria-valuemin={Math.round(now.getTime() / 1000)}
                aria-valuemax={Math.round((now.getTime() + 365 * sheet.day) / 1000)}
                aria-valuenow={Math.round(end / 1000)}
                aria-valuetext={saysEnd(p.row, end)}
                style:left="{x(end) - 12}px"
                style:top="{p.y - (p.band ? 7 : 12)}px"
                style:height="{p.height + (p.band ? 14 : 24)}px"
                onpointerdown={(e) => take(e, p.row)}
                onpointermove={(e) => acting.drag(p.row, e.clientX, perPixel)}
                onpointerup={() => void acting.drop(p.row)}
                onpointercancel={() => acting.leave(p.row)}
                onkeydown={(e) => endKeys(e, p.row)}
                onblur={() => acting.leave(p.row)}
              ></span>
            {/if}
            {#if acting.holds === p.row.id}
              <span
                class="says"
                style:left="{Math.min(Math.max(4, x(end) - 120), Math.max(4, width - 300))}px"
                style:top="{p.y + p.height + 14}px"
              >
                {#each saysEnd(p.row, end).split(' · ') as line, i (i)}<span>{line}</span>{/each}
              </span>
            {/if}
            <span class="share {p.row.state}" style:left="{x(end) + 9}px" style:top="{p.y + p.height / 2}px">
              <span aria-hidden="true">{p.row.share}</span>
              <Menu
                name="⋯"
                label="What to do with {p.row.title}"
                look="quiet"
                acts={acts(p.row)}
                side="bottom-end"
                class="more"
              />
            </span>
          </li>
        {/each}
      </ul>
    {/if}
  {:else}
    <p class="none muted">
      Nothing that is out is like that. <Button look="link" onclick={() => ((typed = ''), (show = 'all'))}
        >Show all of it</Button
      >
    </p>
  {/each}
</div>
<p class="visually-hidden" role="status">
  {heldRow ? saysEnd(heldRow, acting.to) : ''}
</p>

<Stop bind:open={asks} parcel={stopping} stopped={() => changed?.()} />

<style>
  .tools {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    min-height: 40px;
    margin-bottom: var(--s-2);
  }
  .tools :global(.find) {
    max-width: 300px;
  }
  .zoom {
    position: absolute;
    top: 4px;
    right: 0;
    z-index: 3;
    display: inline-flex;
    align-items: center;
    gap: var(--s-2);
    background: var(--ground);
  }
  .zoom :global(.button) {
    min-height: 28px;
    padding: 0 var(--s-4);
  }
  .horizon {
    position: relative;
    border-top: 1px solid var(--ink);
    border-bottom: 1px solid var(--ink);
    overflow-x: clip;
    touch-action: pan-y;
    cursor: grab;
    user-select: none;
  }
  .horizon.moves {
    cursor: grabbing;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .fold {
    position: absolute;
    left: 0;
    display: flex;
    gap: var(--s-3);
    align-items: baseline;
    min-height: 24px;
    text-align: left;
    line-height: 20px;
    background: var(--ground);
    z-index: 1;
  }
  .fold .client {
    font-family: var(--font-display);
    font-weight: 650;
    overflow: hidden;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
  }
  .fold .muted {
    flex: none;
    font-size: var(--t-small);
  }
  .fold[aria-expanded='false'] .client {
    -webkit-line-clamp: 1;
    line-clamp: 1;
    word-break: break-all;
  }
  .fold::before {
    content: '';
    flex: none;
    width: 7px;
    height: 7px;
    border: solid var(--edge);
    border-width: 0 1.6px 1.6px 0;
    rotate: 45deg;
    translate: 0 -2px;
  }
  .fold[aria-expanded='false']::before {
    rotate: -45deg;
    translate: 0;
  }
  .fold:hover .client {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .title,
  .share {
    position: absolute;
    white-space: nowrap;
    line-height: 24px;
  }
  .title {
    font-weight: 600;
    background: var(--ground);
    padding-right: var(--s-2);
    max-width: 320px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .title:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .share {
    translate: 0 -50%;
    display: inline-flex;
    align-items: center;
    gap: var(--s-2);
    font-size: var(--t-small);
    color: var(--main);
  }
  .share.closing {
    color: var(--late);
  }
  .share :global(.more) {
    opacity: 0;
  }
  .share :global(.more .button) {
    min-height: 24px;
    min-width: 28px;
    padding: 0 var(--s-2);
    border-color: transparent;
  }
  li:hover .share :global(.more),
  li:focus-within .share :global(.more) {
    opacity: 1;
  }
  span.end {
    position: absolute;
    width: 24px;
    cursor: ew-resize;
    touch-action: none;
    z-index: 2;
  }
  span.end:hover::after,
  span.end.held::after {
    content: '';
    position: absolute;
    inset: 4px 9px;
    background: var(--main);
    border-radius: 2px;
  }
  .says {
    position: absolute;
    z-index: 5;
    display: grid;
    padding: var(--s-3) var(--s-5);
    background: var(--ink);
    color: var(--ground);
    font-size: var(--t-small);
    border-radius: var(--radius);
    pointer-events: none;
  }
  .none {
    position: absolute;
    top: 44px;
  }
  @media (--thumb) {
    .share :global(.more) {
      opacity: 1;
    }
    .tools {
      flex-wrap: wrap;
    }
  }
</style>
