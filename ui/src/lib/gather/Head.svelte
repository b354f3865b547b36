<!-- Where one is, what to find there, how to see it, and what can be made. -->
<script lang="ts">
  import Menu from '$lib/ui/Menu.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { goto } from '$app/navigation';
  import { api, need, type Place } from '$api/client';
  import Path from './Path.svelte';
  import { address, gather, kinds, orders, type Order, type Where } from './gather.svelte';

  interface Props {
    add: (what: 'files' | 'folder' | 'place' | 'link' | 'swatch' | 'sheet') => void;
    /** one thing is looked at, so that on a phone the path is enough */
    quiet?: boolean;
    /** only places are shown, each with what lies in it: there is no order to choose */
    plain?: boolean;
  }
  let { add, quiet = false, plain = false }: Props = $props();

  let box = $state<HTMLInputElement>();
  let typed = $state('');
  let timer: ReturnType<typeof setTimeout> | undefined;
  let tags = $state<{ name: string; count: number }[]>([]);
  let clients = $state<Place[]>([]);
  /** on a phone: whether filters and order are unfolded */
  let unfolded = $state(false);

  const where = $derived(gather.where);
  /** whether the list goes across clients, or is narrowed to one of them */
  const wide = $derived(where.view !== 'inside' || (gather.filtered && gather.path.length < 2));
  const lists = $derived(where.view !== 'let_go' && where.view !== 'space');

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
  const times = [
    { value: '', name: 'any time' },
    { value: '1', name: 'in the last day' },
    { value: '7', name: 'in the last week' },
    { value: '30', name: 'in the last month' },
    { value: '365', name: 'in the last year' },
  ];
  const filters = $derived([where.what, where.tag, where.since].filter(Boolean).length);
  const placeKind = $derived(gather.here ? (gather.here.kind === 'client' ? 'project' : 'folder') : 'client');
</script>

<Path />

{#if lists}
  <div class="tools" class:quiet>
    <span class="find">
      <Field
        bind:box
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
    <Button
      look="quiet"
      class="unfold"
      aria-expanded={unfolded}
      aria-controls="gather-more"
      onclick={() => (unfolded = !unfolded)}>{filters ? `Filter (${filters})` : 'Filter'}</Button
    >
    <div class="more" id="gather-more" class:unfolded>
      {#if wide && clients.length}
        <Select
          aria-label="Client"
          value={gather.path[0]?.id ?? ''}
          pick={(to) => go({ place: to })}
          options={[{ value: '', name: 'any client' }, ...clients.map((c) => ({ value: c.id, name: c.name }))]}
        />
      {/if}
      <Select
        aria-label="Kind"
        value={where.what}
        pick={(to) => go({ what: to as Where['what'] })}
        options={[{ value: '', name: 'any kind' }, ...Object.entries(kinds).map(([value, name]) => ({ value, name }))]}
      />
      <Select
        aria-label="Tag"
        value={where.tag}
        pick={(to) => go({ tag: to })}
        options={[
          { value: '', name: 'any tag' },
          ...tags.map((t) => ({ value: t.name, name: `${t.name} (${t.count})` })),
        ]}
      />
      <Select aria-label="Added" value={where.since} pick={(to) => go({ since: to })} options={times} />
      <span class="gap"></span>
      {#if !plain}
        {#if where.view !== 'lately'}<span class="by"
            ><span class="muted">by</span>
            <Select
              aria-label="Order"
              value={gather.liking.order}
              pick={(to) => gather.like({ order: to as Order })}
              options={Object.entries(orders).map(([value, name]) => ({ value, name }))}
            /></span
          >
          <Button
            look="quiet"
            onclick={() => gather.like({ down: !gather.liking.down })}
            aria-label="Order turned round"
            aria-pressed={gather.liking.down}>{gather.liking.down ? '↓' : '↑'}</Button
          >{/if}
        <Button
          look="quiet"
          aria-pressed={gather.liking.grouped}
          title="Like next to like, by the first tag of each"
          onclick={() => gather.like({ grouped: !gather.liking.grouped })}>Group by tag</Button
        >
        <Choice
          label="Rows or pictures"
          options={[
            { value: 'rows', name: 'Rows' },
            { value: 'pictures', name: 'Pictures' },
          ]}
          bind:value={
            () => (gather.liking.pictures ? 'pictures' : 'rows'), (to) => gather.like({ pictures: to === 'pictures' })
          }
        />
        {#if gather.liking.pictures}
          <Choice
            label="Size of pictures"
            options={[
              { value: 'small', name: 'S', hint: 'small pictures' },
              { value: 'middle', name: 'M', hint: 'middle pictures' },
              { value: 'large', name: 'L', hint: 'large pictures' },
            ]}
            bind:value={() => gather.liking.size, (size) => gather.like({ size: size as typeof gather.liking.size })}
          />
        {/if}
      {/if}
    </div>
    <Menu
      class="new"
      name="New"
      look="main"
      side="bottom-end"
      acts={[
        ...(where.view === 'inside' ? [{ name: placeKind, do: () => add('place') }] : []),
        ...(gather.takes
          ? [
              { name: 'files', do: () => add('files') },
              { name: 'a folder from here', do: () => add('folder') },
              { name: 'link', do: () => add('link') },
              { name: 'swatch', do: () => add('swatch') },
              { name: 'sheet', do: () => add('sheet') },
            ]
          : []),
      ]}
      >{#if !gather.takes}Files, links, swatches and sheets lie in projects; open one first.{/if}</Menu
    >
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
    gap: var(--s-3);
    padding: var(--s-5) 0;
    background: var(--ground);
    border-bottom: 1px solid var(--ink);
    font-size: var(--t-control);
  }
  .tools :global(.field) {
    width: auto;
    max-width: 112px;
    min-height: 34px;
    padding-block: var(--s-1);
    padding-left: var(--s-3);
  }
  .find {
    position: relative;
    flex: 1 1 200px;
    max-width: 400px;
  }
  .find :global(.field) {
    width: 100%;
    max-width: none;
    padding-right: var(--s-10);
  }
  .find .key {
    position: absolute;
    right: 8px;
    top: 7px;
    color: var(--muted);
  }
  .find :global(input:focus + .key) {
    visibility: hidden;
  }
  .gap {
    flex: 1;
  }
  .by {
    display: inline-flex;
    align-items: center;
    gap: var(--s-2);
  }
  .tools :global(.new .button.main) {
    min-height: var(--target);
    padding: var(--s-1) var(--s-7);
  }
  .tools :global(.button.quiet) {
    padding: var(--s-1) var(--s-4);
  }
  .tools :global(.button.quiet[aria-pressed='true']) {
    background: var(--ink);
    border-color: var(--ink);
    color: var(--surface);
  }
  .more {
    display: contents;
  }
  .tools > :global(.unfold) {
    display: none;
  }
  @media (--narrow) {
    .gap {
      display: none;
    }
    .find {
      flex: 1 1 120px;
    }
    .find .key {
      display: none;
    }
    .find :global(.field) {
      padding-right: var(--s-3);
    }
    .tools {
      position: static;
      flex-wrap: wrap;
    }
    .tools.quiet {
      display: none;
    }
    .tools > :global(.unfold) {
      display: inline-flex;
      min-height: 34px;
    }
    .more {
      display: none;
      order: 1;
      flex: 0 0 100%;
      flex-wrap: wrap;
      gap: var(--s-3);
    }
    .more.unfolded {
      display: flex;
    }
  }
</style>
