<!-- Where one is, what to find there, how to see it, and what can be made. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { api, need, type Place } from '$api/client';
  import Path from './Path.svelte';
  import { address, gather, kinds, orders, type Order, type Where } from './gather.svelte';

  interface Props {
    add: (what: 'files' | 'folder' | 'place' | 'link' | 'swatch' | 'sheet') => void;
    /** one thing is looked at, so that on a phone the path is enough */
    quiet?: boolean;
  }
  let { add, quiet = false }: Props = $props();

  let box = $state<HTMLInputElement>();
  let typed = $state('');
  let timer: ReturnType<typeof setTimeout> | undefined;
  let tags = $state<{ name: string; count: number }[]>([]);
  let clients = $state<Place[]>([]);
  let making = $state(false);
  /** on a phone: whether filters and order are unfolded */
  let unfolded = $state(false);

  const where = $derived(gather.where);
  /** whether the list goes across clients, or is narrowed to one of them */
  const wide = $derived(where.view !== 'inside' || (gather.filtered && gather.path.length < 2));
  const lists = $derived(where.view !== 'bin' && where.view !== 'storage');

  $effect(() => {
    if (document.activeElement !== box) typed = where.find;
  });
  $effect(() => {
    void need(api.GET('/api/v1/tags', {})).then(
      (list) => (tags = list),
      () => undefined,
    );
  });
  $effect(() => {
    if (!wide) return;
    void need(api.GET('/api/v1/places', {})).then(
      (list) => (clients = list),
      () => undefined,
    );
  });

  function go(change: Partial<Where>, replace = false) {
    void goto(address({ ...where, ...change }), { replaceState: replace, keepFocus: true, noScroll: true });
  }
  function type() {
    clearTimeout(timer);
    timer = setTimeout(() => go({ find: typed.trim() }, true), 160);
  }
  export function find() {
    box?.focus();
    box?.select();
  }
  const filters = $derived([where.what, where.tag, where.since].filter(Boolean).length);
  const placeKind = $derived(gather.here ? (gather.here.kind === 'client' ? 'project' : 'folder') : 'client');
</script>

<svelte:window onclick={() => (making = false)} />

<Path />

{#if lists}
  <div class="tools" class:quiet>
    <span class="find">
      <input
        bind:this={box}
        class="field"
        type="search"
        aria-label="Find {gather.here ? `in ${gather.here.name}` : 'everywhere'}"
        placeholder="Find {gather.here ? 'in here' : 'everywhere'}"
        title="Names, tags, text and facts: wav 48k, longer than 2 min, over 1 GB"
        bind:value={typed}
        oninput={type}
        onkeydown={(e) => e.key === 'Escape' && ((typed = ''), go({ find: '' }, true), box?.blur())}
      />
      <kbd class="key" aria-hidden="true">/</kbd>
    </span>
    <button
      class="button quiet unfold"
      aria-expanded={unfolded}
      aria-controls="gather-more"
      onclick={() => (unfolded = !unfolded)}>{filters ? `Filter (${filters})` : 'Filter'}</button
    >
    <div class="more" id="gather-more" class:unfolded>
      {#if wide && clients.length}
        <select
          class="field"
          aria-label="Client"
          value={gather.path[0]?.id ?? ''}
          onchange={(e) => go({ place: e.currentTarget.value })}
        >
          <option value="">any client</option>
          {#each clients as c (c.id)}<option value={c.id}>{c.name}</option>{/each}
        </select>
      {/if}
      <select
        class="field"
        aria-label="Kind"
        value={where.what}
        onchange={(e) => go({ what: e.currentTarget.value as Where['what'] })}
      >
        <option value="">any kind</option>
        {#each Object.entries(kinds) as [kind, name] (kind)}<option value={kind}>{name}</option>{/each}
      </select>
      <select class="field" aria-label="Tag" value={where.tag} onchange={(e) => go({ tag: e.currentTarget.value })}>
        <option value="">any tag</option>
        {#each tags as t (t.name)}<option value={t.name}>{t.name} ({t.count})</option>{/each}
      </select>
      <select
        class="field"
        aria-label="Added"
        value={where.since}
        onchange={(e) => go({ since: e.currentTarget.value })}
      >
        <option value="">any time</option>
        <option value="1">in the last day</option>
        <option value="7">in the last week</option>
        <option value="30">in the last month</option>
        <option value="365">in the last year</option>
      </select>
      <span class="gap"></span>
      <label class="by"
        ><span class="muted">by</span>
        <select
          class="field"
          aria-label="Order"
          value={gather.liking.order}
          disabled={where.view === 'recent'}
          onchange={(e) => gather.like({ order: e.currentTarget.value as Order })}
        >
          {#each Object.entries(orders) as [order, name] (order)}<option value={order}>{name}</option>{/each}
        </select></label
      >
      <button
        class="button quiet"
        onclick={() => gather.like({ down: !gather.liking.down })}
        aria-label="Order turned round"
        aria-pressed={gather.liking.down}>{gather.liking.down ? '↓' : '↑'}</button
      >
      <button
        class="button quiet"
        aria-pressed={gather.liking.grouped}
        title="Like next to like, by the first tag of each"
        onclick={() => gather.like({ grouped: !gather.liking.grouped })}>Group by tag</button
      >
      <span class="choices" role="group" aria-label="Rows or pictures">
        <button aria-pressed={!gather.liking.pictures} onclick={() => gather.like({ pictures: false })}>Rows</button>
        <button aria-pressed={gather.liking.pictures} onclick={() => gather.like({ pictures: true })}>Pictures</button>
        {#if gather.liking.pictures}
          {#each ['small', 'middle', 'large'] as const as size (size)}
            <button
              aria-pressed={gather.liking.size === size}
              aria-label="{size} pictures"
              onclick={() => gather.like({ size })}>{{ small: 'S', middle: 'M', large: 'L' }[size]}</button
            >
          {/each}
        {/if}
      </span>
    </div>
    <span class="new">
      <button
        class="button main"
        aria-expanded={making}
        aria-haspopup="menu"
        onclick={(e) => (e.stopPropagation(), (making = !making))}>New</button
      >
      {#if making}
        <span class="slip menu" role="menu">
          {#if where.view === 'inside'}<button role="menuitem" onclick={() => add('place')}>{placeKind}</button>{/if}
          {#if gather.takes}
            <button role="menuitem" onclick={() => add('files')}>files</button>
            <button role="menuitem" onclick={() => add('folder')}>a folder from here</button>
            <button role="menuitem" onclick={() => add('link')}>link</button>
            <button role="menuitem" onclick={() => add('swatch')}>swatch</button>
            <button role="menuitem" onclick={() => add('sheet')}>sheet</button>
          {:else}
            <span class="hint muted">Files, links, swatches and sheets lie in projects; open one first.</span>
          {/if}
        </span>
      {/if}
    </span>
  </div>
{/if}

<style>
  .tools {
    position: sticky;
    top: 0;
    z-index: 10;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    padding: 12px 0;
    background: var(--ground);
    border-bottom: 1px solid var(--ink);
    font-size: 14.5px;
  }
  .tools .field {
    width: auto;
    max-width: 112px;
    min-height: 34px;
    padding: 4px 8px;
  }
  .find {
    position: relative;
    flex: 1 1 200px;
    max-width: 400px;
  }
  .find .field {
    width: 100%;
    max-width: none;
    padding-right: 34px;
  }
  .find .key {
    position: absolute;
    right: 8px;
    top: 7px;
    color: var(--muted);
  }
  .find input:focus + .key {
    visibility: hidden;
  }
  .gap {
    flex: 1;
  }
  .by {
    display: inline-flex;
    align-items: center;
    gap: 6px;
  }
  .button.main {
    min-height: 34px;
    padding: 4px 18px;
  }
  .button.quiet {
    padding: 4px 10px;
  }
  .button.quiet[aria-pressed='true'] {
    background: var(--ink);
    border-color: var(--ink);
    color: var(--surface);
  }
  .new {
    position: relative;
  }
  .menu {
    right: 0;
    top: calc(100% + 4px);
  }
  .hint {
    display: block;
    padding: 6px 14px;
    font-size: var(--t-small);
  }
  .more {
    display: contents;
  }
  .unfold {
    display: none;
  }
  @media (max-width: 720px) {
    .gap {
      display: none;
    }
    .find {
      flex: 1 1 120px;
    }
    .find .key {
      display: none;
    }
    .find .field {
      padding-right: 8px;
    }
    .tools {
      position: static;
      flex-wrap: wrap;
    }
    .tools.quiet {
      display: none;
    }
    .unfold {
      display: inline-flex;
      min-height: 34px;
    }
    .more {
      display: none;
      order: 1;
      flex: 0 0 100%;
      flex-wrap: wrap;
      gap: 8px;
    }
    .more.unfolded {
      display: flex;
    }
  }
</style>
