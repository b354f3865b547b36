<!-- What is in an archive, as a tree; single entries are shown or taken without unpacking the rest. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import type { Entry } from '$api/client';
  import { weight } from '$lib/time';

  let { load }: { load: () => Promise<{ entries: Entry[]; problem: string }> } = $props();

  interface Node {
    name: string;
    path: string;
    depth: number;
    entry?: Entry;
    inside: number;
  }
  let entries = $state.raw<Entry[]>([]);
  let problem = $state('');
  let ready = $state(false);
  let open = $state<Record<string, boolean>>({});
  let shown = $state<Entry | null>(null);
  let text = $state('');
  const most = 2000;

  $effect(() => {
    void load().then(
      (list) => {
        entries = list.entries;
        problem = list.problem;
        ready = true;
        // A small archive is shown whole.
        if (list.entries.length <= 60) open = Object.fromEntries(folders(list.entries).map((f) => [f, true]));
      },
      () => {
        problem = 'the list did not come; try again in a minute';
        ready = true;
      },
    );
  });

  function folders(list: Entry[]): string[] {
    const out: string[] = [];
    const seen: Record<string, boolean> = {};
    for (const e of list) {
      const parts = e.path.split('/');
      const depth = e.folder ? parts.length : parts.length - 1;
      for (let i = 1; i <= depth; i++) {
        const path = parts.slice(0, i).join('/');
        if (!seen[path]) out.push(path);
        seen[path] = true;
      }
    }
    return out;
  }

  const nodes = $derived.by<Node[]>(() => {
    const count: Record<string, number> = {};
    for (const e of entries) {
      if (e.folder) continue;
      const parts = e.path.split('/');
      for (let i = 1; i < parts.length; i++) {
        const path = parts.slice(0, i).join('/');
        count[path] = (count[path] ?? 0) + 1;
      }
    }
    const all: Node[] = [
      ...folders(entries).map((path) => ({
        name: path.split('/').at(-1)!,
        path,
        depth: path.split('/').length - 1,
        inside: count[path] ?? 0,
      })),
      ...entries
        .filter((e) => !e.folder)
        .map((e) => ({
          name: e.path.split('/').at(-1)!,
          path: e.path,
          depth: e.path.split('/').length - 1,
          entry: e,
          inside: 0,
        })),
    ];
    const visible = all.filter((n) => {
      const parts = n.path.split('/');
      return parts.slice(0, -1).every((_, i) => open[parts.slice(0, i + 1).join('/')]);
    });
    return visible.sort((a, b) => a.path.localeCompare(b.path, 'en', { numeric: true }));
  });

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
  {#if ready && problem}
    <p class="muted">Not listed: {problem}.</p>
  {:else if ready && !entries.length}
    <p class="muted">This archive is empty.</p>
  {/if}
  <ul aria-label="In this archive">
    {#each nodes.slice(0, most) as node (node.path + (node.entry?.index ?? 'f'))}
      <li style:padding-left="{node.depth * 22}px">
        {#if !node.entry}
          <button
            class="folder"
            aria-expanded={Boolean(open[node.path])}
            onclick={() => (open[node.path] = !open[node.path])}
          >
            <span class="turn" class:open={open[node.path]} aria-hidden="true">›</span>
            <strong>{node.name}</strong>
            <span class="muted">{count(node.inside, 'file')}</span>
          </button>
        {:else}
          <span class="file">
            <span class="label">{node.name}</span>
            {#if node.entry.locked}<span class="late">needs a password</span>{/if}
            {#if node.entry.strays}<span class="late">leads out of its folder; taken under a safe name</span>{/if}
          </span>
          <span class="figure muted">{weight(node.entry.size)}</span>
          <span class="acts">
            {#if node.entry.show}<Button look="link" onclick={() => show(node.entry!)} aria-label="Show {node.name}"
                >Show</Button
              >{/if}
            {#if node.entry.take}<Button look="link" href={node.entry.take} download aria-label="Take {node.name}"
                >Take</Button
              >{/if}
          </span>
        {/if}
      </li>
    {/each}
  </ul>
  {#if nodes.length > most}<p class="muted">{nodes.length - most} more; close some folders to see them.</p>{/if}
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

<style>
  .archive {
    width: 100%;
    text-align: left;
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
