<!-- What can be done with what is chosen: a line at the bottom, the same as a menu at the pointer, and keys. -->
<script lang="ts">
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Finding, type Place, type Schemas } from '$api/client';
  import { goto } from '$app/navigation';
  import { weight } from '$lib/time';
  import { undo } from '$lib/undo.svelte';
  import ChoosePlace from './ChoosePlace.svelte';
  import Findings from './Findings.svelte';
  import PackInto from './PackInto.svelte';
  import { copy, counted, join, move, pack, remove, keepAtHand, show, tag, tagsOf, take } from './acts';
  import { gather, type Row } from './gather.svelte';

  interface Props {
    open: (row: Row) => void;
    rename: (row: Row) => void;
    /** only the keys, while one thing is looked at */
    quiet?: boolean;
    /** facts stand beside the list and are not to be covered */
    beside?: boolean;
  }
  let { open, rename, quiet = false, beside = false }: Props = $props();

  let moving = $state(false);
  let copying = $state(false);
  let tagging = $state(false);
  let packing = $state(false);
  let showing = $state(false);
  let title = $state('');
  let showings = $state<Schemas['ShowingRow'][]>([]);
  let checking = $state(false);
  let tags = $state('');
  let known = $state<{ name: string; count: number }[]>([]);
  let findings = $state<Finding[]>([]);
  let menuAt = $state<{ x: number; y: number } | null>(null);
  let menuBox = $state<HTMLElement>();

  const n = $derived(gather.chosen.size);
  const items = $derived(gather.selection.items);
  const size = $derived(gather.pickedThings.reduce((sum, t) => sum + t.size, 0));
  const near = $derived(gather.picked.every((r) => (r.thing ? r.thing.at_hand : r.place.at_hand_since)));
  const shared = $derived([...new Set(gather.pickedThings.flatMap((t) => t.tags))]);
  const files = $derived(gather.pickedThings.filter((t) => t.kind === 'file'));
  const pixels = (t: (typeof files)[number]) => (t.facts.width ?? 0) * (t.facts.height ?? 0);
  // The one with most pixels, then the heaviest, stands for the others.
  const lead = $derived([...files].sort((a, b) => pixels(b) - pixels(a) || b.size - a.size)[0]);

  async function attempt(work: () => Promise<unknown>) {
    menuAt = null;
    try {
      await work();
    } catch (thrown) {
      undo.did(words(thrown));
    }
  }
  function startTagging() {
    tags = '';
    tagging = true;
    void attempt(async () => (known = await need(api.GET('/api/v1/tags', {}))));
  }
  function startPacking() {
    packing = true;
  }
  function startShowing() {
    title = '';
    showing = true;
    void attempt(async () => (showings = await need(api.GET('/api/v1/showings'))));
  }
  function showThem(event: SubmitEvent) {
    event.preventDefault();
    showing = false;
    void attempt(() => show(gather.selection, '', title));
  }
  const putIn = () =>
    attempt(async () => {
      const target = gather.for;
      if (!target) return;
      await (target.showing ? show : pack)(gather.forAll, target.id);
      gather.chooseFor(null);
    });
  function back() {
    const target = gather.for;
    gather.chooseFor(null);
    if (target) void goto(`/${target.showing ? 'showings' : 'packages'}/${target.id}`);
  }
  function check() {
    checking = true;
    void attempt(async () => (findings = await need(api.POST('/api/v1/things/preflight', { body: gather.selection }))));
  }
  function addTags(event: SubmitEvent) {
    event.preventDefault();
    const list = tagsOf(tags);
    tagging = false;
    if (list.length) void attempt(() => tag(gather.pickedThings, list, []));
  }

  interface Act {
    name: string;
    key: string;
    can: boolean;
    do: () => void;
  }
  const acts = $derived<Act[]>([
    { name: 'Open', key: 'Enter', can: n === 1, do: () => gather.picked[0] && open(gather.picked[0]) },
    { name: 'Pack', key: 'Ctrl Enter', can: true, do: () => (gather.for ? void putIn() : startPacking()) },
    { name: 'Show', key: 'W', can: !gather.for, do: startShowing },
    { name: 'Preflight', key: 'I', can: true, do: check },
    { name: 'Tag', key: 'T', can: items.length > 0, do: startTagging },
    {
      name: near ? 'Put back' : 'Keep at hand',
      key: 'H',
      can: true,
      do: () => attempt(() => keepAtHand(gather.selection, !near)),
    },
    { name: 'Rename', key: 'F2', can: n === 1 && !quiet, do: () => gather.picked[0] && rename(gather.picked[0]) },
    { name: 'Move', key: 'M', can: true, do: () => (moving = true) },
    { name: 'Copy', key: 'Y', can: true, do: () => (copying = true) },
    {
      name: 'Show as one',
      key: 'O',
      can: files.length > 1 && files.length === n,
      do: () =>
        lead &&
        attempt(() =>
          join(
            lead.id,
            items.filter((i) => i !== lead.id),
          ),
        ),
    },
    { name: 'Take', key: 'Shift D', can: true, do: () => attempt(() => take(gather.selection)) },
    { name: 'Delete', key: 'Del', can: true, do: () => attempt(() => remove(gather.selection)) },
  ]);

  export function menu(x: number, y: number) {
    menuAt = { x: Math.min(x, innerWidth - 220), y: Math.min(y, innerHeight - 380) };
    requestAnimationFrame(() => menuBox?.querySelector('button')?.focus());
  }
  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (target.closest('input, textarea, select, dialog, [role=dialog], [contenteditable]')) return;
    if (menuAt && event.key === 'Escape') {
      menuAt = null;
      return;
    }
    if (!n) return;
    const keys: Record<string, string> = {
      'ctrl+Enter': 'Ctrl Enter',
      i: 'I',
      t: 'T',
      h: 'H',
      m: 'M',
      y: 'Y',
      o: 'O',
      w: 'W',
      D: 'Shift D',
      Delete: 'Del',
      Backspace: 'Del',
    };
    const ctrl = event.ctrlKey || event.metaKey;
    const act = acts.find((a) => a.key === keys[(ctrl ? 'ctrl+' : '') + event.key]);
    if (!act?.can) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    act.do();
  }
</script>

<svelte:window onkeydowncapture={press} onclick={() => (menuAt = null)} />

{#if gather.for}
  {@const count = gather.forAll.items.length + gather.forAll.places.length}
  <div class="bar for noprint" role="toolbar" aria-label="For {gather.for.title}">
    <span class="what">
      <strong>For <em>{gather.for.title}</em></strong>
      <span aria-live="polite">{count ? `${counted(count, 'thing', 'things')} chosen` : 'choose what goes in'}</span>
      {#if gather.forSize}<span class="figure muted">{weight(gather.forSize)}</span>{/if}
    </span>
    <span class="acts">
      {#if count}<Button look="link" onclick={() => (gather.none(), gather.chooseFor(gather.for))}>Choose anew</Button
        >{/if}
      <Button look="main" disabled={!count} onclick={putIn}>Put in</Button>
      <Button look="link" onclick={back}>Back to the {gather.for.showing ? 'showing' : 'package'}</Button>
    </span>
  </div>
{:else if n && !quiet}
  <div class="bar noprint" class:beside role="toolbar" aria-label="With what is chosen">
    <span class="what">
      <strong>{counted(n, 'thing', 'things')} chosen</strong>
      {#if size}<span class="figure muted">{weight(size)}</span>{/if}
    </span>
    <span class="acts">
      {#each acts as act (act.name)}
        {#if act.can && act.name !== 'Open'}
          <button class="act" class:main={act.name === 'Pack'} onclick={act.do}>{act.name}</button>
        {/if}
      {/each}
    </span>
    <button class="act none" onclick={() => gather.none()} aria-label="Choose nothing">×</button>
  </div>
{/if}

{#if menuAt}
  <div bind:this={menuBox} class="menu" role="menu" tabindex="-1" style:left="{menuAt.x}px" style:top="{menuAt.y}px">
    {#each acts as act (act.name)}
      {#if act.can}
        <button role="menuitem" onclick={() => ((menuAt = null), act.do())}
          ><span>{act.name}</span> <kbd class="key">{act.key}</kbd></button
        >
      {/if}
    {/each}
  </div>
{/if}

<ChoosePlace
  bind:open={moving}
  title="Move {counted(n)}"
  verb="Move to"
  chosen={(p: Place) => move(gather.selection, p)}
/>
<ChoosePlace
  bind:open={copying}
  title="Copy {counted(n)}"
  verb="Copy to"
  chosen={(p: Place) => copy(gather.selection, p)}
/>

<Dialog bind:open={tagging} title="Tag {counted(items.length)}" size="small">
  <form onsubmit={addTags}>
    <Field id="new-tags" label="Tags to put on, with commas between" list="known-tags" bind:value={tags} />
    <datalist id="known-tags"
      >{#each known as k (k.name)}<option value={k.name}></option>{/each}</datalist
    >
    <p class="set">
      {#each known.slice(0, 12) as k (k.name)}
        <Button look="quiet" onclick={() => ((tagging = false), attempt(() => tag(gather.pickedThings, [k.name], [])))}
          >{k.name}</Button
        >
      {/each}
    </p>
    {#if shared.length}
      <p class="label">Take off</p>
      <p class="set">
        {#each shared as t (t)}
          <Button look="quiet" onclick={() => ((tagging = false), attempt(() => tag(gather.pickedThings, [], [t])))}
            >{t} ×</Button
          >
        {/each}
      </p>
    {/if}
    <Button look="main" disabled={!tags.trim()}>Tag</Button>
  </form>
</Dialog>

<PackInto
  bind:open={packing}
  what={counted(n)}
  pack={(id) => attempt(() => pack(gather.selection, id))}
  attempt={(work) => void attempt(work)}
/>

<Dialog bind:open={showing} title="Show {counted(n)}" size="small">
  <form onsubmit={showThem}>
    <p class="ink">On a page for finished work: people look, and neither download nor comment.</p>
    <Field label="On a new page, called" placeholder="Films of the year" bind:value={title} maxlength={120} />
    <Button look="main" disabled={!title.trim()}>Make the page</Button>
  </form>
  {#if showings.length}
    <p class="label">Or on one that there is</p>
    <ul>
      {#each showings.slice(0, 12) as s (s.id)}
        <li>
          <button class="draft" onclick={() => ((showing = false), attempt(() => show(gather.selection, s.id)))}
            >{s.title}</button
          >
        </li>
      {/each}
    </ul>
  {/if}
</Dialog>

<Dialog bind:open={checking} title="Preflight" size="large">
  <Findings {findings} count={n} />
  <Button look="main" onclick={() => ((checking = false), startPacking())}>Pack them</Button>
</Dialog>

<style>
  .bar {
    position: fixed;
    left: 0;
    right: 0;
    bottom: 20px;
    margin: auto;
    width: max-content;
    z-index: 20;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-0) var(--s-1);
    max-width: calc(100vw - 24px);
    padding: var(--s-2) var(--s-3) var(--s-2) var(--s-7);
    background: var(--surface);
    border: 1.5px solid var(--ink);
    border-radius: var(--radius);
  }
  .for {
    width: calc(100vw - 2 * var(--page));
    justify-content: space-between;
    gap: var(--s-3) var(--s-9);
    padding: var(--s-3) var(--s-7);
  }
  .for .what {
    align-items: baseline;
    flex-wrap: wrap;
    gap: var(--s-0) var(--s-7);
    white-space: normal;
  }
  .for .acts {
    display: flex;
    align-items: center;
    gap: var(--s-7);
  }
  @media not (--middle) {
    .bar.beside {
      left: var(--page);
      right: calc(var(--page) + 350px);
      max-width: calc(100vw - 2 * var(--page) - 350px);
    }
  }
  .what {
    display: flex;
    gap: var(--s-4);
    align-items: baseline;
    margin-right: var(--s-5);
    white-space: nowrap;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-0) var(--s-1);
  }
  @media (--narrow) {
    .bar {
      bottom: 0;
      width: 100%;
      max-width: none;
      justify-content: space-between;
      padding: var(--s-3) var(--s-3) var(--s-3) var(--s-7);
      border-width: 1.5px 0 0;
      border-radius: 0;
    }
    .bar .acts {
      order: 1;
      flex: 0 0 calc(100% + 8px);
      margin-left: calc(var(--s-3) * -1);
      flex-wrap: nowrap;
      overflow-x: auto;
      scrollbar-width: none;
    }
    .bar .act {
      min-height: 44px;
    }
  }
  .act {
    min-height: 34px;
    padding: 0 var(--s-4);
    font-size: var(--t-control);
    border-radius: 2px;
    white-space: nowrap;
  }
  .act:hover {
    background: var(--main-faint);
  }
  .act.main {
    background: var(--main);
    color: var(--on-main);
    font-weight: 600;
  }
  .menu {
    position: fixed;
    z-index: 40;
    width: 210px;
    padding: var(--s-1) 0;
    background: var(--surface);
    border: 1.5px solid var(--ink);
    border-radius: var(--radius);
  }
  .menu button {
    display: flex;
    justify-content: space-between;
    align-items: center;
    width: 100%;
    min-height: 32px;
    padding: 0 var(--s-5);
    text-align: left;
  }
  .menu button:hover,
  .menu button:focus-visible {
    background: var(--main-faint);
    outline-offset: -2px;
  }
  .set {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
    margin: var(--s-4) 0;
  }
  .ink,
  .label {
    color: var(--ink);
  }
  .draft {
    width: 100%;
    min-height: 38px;
    text-align: left;
    border-bottom: 1px solid var(--line);
    color: var(--ink);
  }
  .draft:hover {
    background: var(--main-faint);
  }
</style>
