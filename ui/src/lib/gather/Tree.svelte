<!-- What is in an archive, as a tree; single entries are shown or taken without unpacking the rest. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import More from '$lib/ui/More.svelte';
  import { words, type Entry, type Listing } from '$api/client';
  import { weight } from '$lib/time';
  import { onMount } from 'svelte';

  let { load }: { load: (folder: string, after: number) => Promise<Listing> } = $props();

  /** what is known of a folder; of a large archive one is asked for when it is opened */
  interface Folder {
    folders: Listing['folders'];
    files: Entry[];
    /** how many files it has itself */
    here: number;
    next: number;
  }
  let known = $state.raw<Record<string, Folder>>({});
  let problem = $state('');
  let open = $state<Record<string, boolean>>({});
  let shown = $state<Entry | null>(null);
  let text = $state('');
  const top = $derived(known['']);

  const above = (path: string) => path.slice(0, Math.max(0, path.lastIndexOf('/')));
  const name = (path: string) => path.slice(path.lastIndexOf('/') + 1);

  async function fetchFolder(path: string) {
    const have = known[path];
    try {
      const list = await load(path, have?.next ?? 0);
      problem = list.problem ? `Not listed: ${list.problem}.` : '';
      if (!list.whole) {
        const files = [...(have?.files ?? []), ...list.entries];
        known = {
          ...known,
          [path]: { folders: have?.folders ?? list.folders, files, here: list.here, next: list.next },
        };
        return;
      }
      const all: Record<string, Folder> = { '': { folders: [], files: [], here: 0, next: 0 } };
      for (const folder of list.folders) all[folder.path] = { folders: [], files: [], here: 0, next: 0 };
      for (const folder of list.folders) all[above(folder.path)]!.folders.push(folder);
      for (const entry of list.entries) all[above(entry.path)]!.files.push(entry);
      known = all;
      if (list.files <= 60) open = Object.fromEntries(list.folders.map((f) => [f.path, true])); // a small one is shown whole
    } catch (thrown) {
      problem = words(thrown);
      throw thrown;
    }
  }
  onMount(() => void fetchFolder('').catch(() => undefined));
  async function turn(path: string) {
    open[path] = !open[path];
    if (open[path] && !known[path]) await fetchFolder(path).catch(() => (open[path] = false));
  }

  async function show(entry: Entry) {
    shown = entry;
    text = '';
    if (entry.show === 'text') {
      const answer = await fetch(entry.take + '?show');
      text = answer.ok ? (await answer.text()).slice(0, 200_000) : 'It could not be read.';
    }
  }
</script>

<div class="archive">
  {#if problem}
    <p class="muted" role="status">{problem}</p>
  {:else if top && !top.files.length && !top.folders.length}
    <p class="muted">This archive is empty.</p>
  {:else if !top}
    <p class="muted" role="status">Looking into it</p>
  {/if}
  <ul aria-label="In this archive">{@render inside('', 0)}</ul>
  {#if shown}
    <figure>
      <figcaption>
        <strong>{shown.path}</strong>
        <Button look="link" onclick={() => (shown = null)}>Close</Button>
      </figcaption>
      {#if shown.show === 'picture'}<img src="{shown.take}?show" alt={shown.path} />
      {:else}<pre>{text}</pre>{/if}
    </figure>
  {/if}
</div>

{#snippet inside(path: string, depth: number)}
  {@const here = known[path]}
  {#if here}
    {#each here.folders as folder (folder.path)}
      <li style:padding-left="{depth * 22}px">
        <button class="folder" aria-expanded={Boolean(open[folder.path])} onclick={() => turn(folder.path)}>
          <span class="turn" class:open={open[folder.path]} aria-hidden="true">›</span>
          <strong>{name(folder.path)}</strong>
          <span class="muted">{count(folder.files, 'file')}</span>
        </button>
      </li>
      {#if open[folder.path]}{@render inside(folder.path, depth + 1)}{/if}
    {/each}
    {#each here.files as entry (entry.index)}
      <li style:padding-left="{depth * 22}px">
        <span class="file">
          <span class="label">{name(entry.path)}</span>
          {#if entry.locked}<span class="late">needs a password</span>{/if}
          {#if entry.strays}<span class="late">leads out of its folder; taken under a safe name</span>{/if}
        </span>
        <span class="figure muted">{weight(entry.size)}</span>
        <span class="acts">
          {#if entry.show}<Button look="link" onclick={() => show(entry)} aria-label="Show {name(entry.path)}"
              >Show</Button
            >{/if}
          {#if entry.take}<Button look="link" href={entry.take} download aria-label="Take {name(entry.path)}"
              >Take</Button
            >{/if}
        </span>
      </li>
    {/each}
    {#if here.next}
      <li class="more" style:padding-left="{depth * 22}px">
        <More
          shown={here.files.length}
          count={here.here}
          what="files"
          more={() => fetchFolder(path).catch(() => undefined)}
        />
      </li>
    {/if}
  {:else}
    <li class="muted" style:padding-left="{depth * 22}px">Looking into it</li>
  {/if}
{/snippet}

<style>
  .archive {
    width: 100%;
    text-align: left;
  }
  .more {
    display: block;
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 80px 110px;
    gap: var(--s-6);
    align-items: center;
    min-height: 34px;
    border-bottom: 1px solid var(--line);
  }
  .folder {
    grid-column: 1 / -1;
    display: flex;
    gap: var(--s-4);
    align-items: center;
    text-align: left;
    min-height: 32px;
  }
  .turn {
    display: inline-block;
    width: 12px;
    font-size: var(--t-lead);
    line-height: 1;
  }
  .turn.open {
    rotate: 90deg;
  }
  .file {
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s-5);
    padding-left: var(--s-8);
    min-width: 0;
  }
  .label {
    overflow-wrap: anywhere;
  }
  .figure {
    text-align: right;
  }
  .acts {
    display: flex;
    gap: var(--s-6);
    justify-content: flex-end;
  }
  figure {
    margin: var(--s-7) 0 0;
    border: 1px solid var(--line);
    border-radius: var(--radius);
    background: var(--surface);
  }
  figcaption {
    display: flex;
    justify-content: space-between;
    gap: var(--s-5);
    padding: var(--s-3) var(--s-6);
    border-bottom: 1px solid var(--line);
  }
  img {
    max-width: 100%;
    max-height: 60vh;
    margin: auto;
  }
  pre {
    padding: var(--s-6);
    max-height: 50vh;
    overflow: auto;
    white-space: pre-wrap;
    font-family: var(--font-mono);
    font-size: var(--t-small);
  }
  @media (--phone) {
    li {
      grid-template-columns: minmax(0, 1fr) 70px;
    }
    .acts {
      grid-column: 1 / -1;
      justify-content: flex-start;
      padding: 0 0 var(--s-2) var(--s-8);
    }
  }
</style>
