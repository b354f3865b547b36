<!-- What neither plays nor has pages: a link, a swatch, a sheet, a text, an archive. -->
<script lang="ts">
  import { api, need, words, type GuestItem } from '$api/client';
  import { fetched } from '$lib/fetched.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import SwatchCard from '$lib/ui/SwatchCard.svelte';
  import Tree from '$lib/gather/Tree.svelte';

  let { item, link, followed }: { item: GuestItem; link: string; followed: () => void } = $props();
  let text = $state('');

  fetched(
    () => (item.made.includes('text') ? `${item.look}text` : ''),
    async (answer) => (text = await answer.text()),
  );
  // What they ticked in a sheet. Where it was not kept the tick goes again, and it says why.
  let ticked = $state<Record<string, string>>({});
  let problem = $state('');
  const path = $derived({ params: { path: { link, item: item.id } } });
  const keep = async (keys: Promise<string[]>) => {
    try {
      ticked = Object.fromEntries((await keys).map((key) => [key, '']));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
      ticked = { ...ticked };
    }
  };
  $effect(() => {
    if (item.tasks?.length) void keep(need(api.GET('/api/v1/r/{link}/items/{item}/ticks', path)));
  });
  const tick = (task: string, done: boolean) =>
    void keep(need(api.PUT('/api/v1/r/{link}/items/{item}/ticks', { ...path, body: { task, done } })));
  const open = $derived((item.tasks ?? []).filter((task) => !(task.key in ticked)).length);

  const entries = (folder: string, after: number) =>
    need(
      api.GET('/api/v1/r/{link}/items/{item}/entries', {
        params: { path: { link, item: item.id }, query: { folder, after } },
      }),
    );
</script>

{#if item.swatch}
  <SwatchCard swatch={item.swatch} name={item.title} oncopy={followed} />
{:else if item.what === 'sheet'}
  <Sheet html={item.html} name={item.title} {ticked} {tick} />
  {#if item.tasks?.length}<p class="muted left" role="status">
      {open
        ? `${open} of ${item.tasks.length} still to do. What you tick is told to whoever sent this.`
        : 'All of it is done.'}
    </p>{/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{:else if item.what === 'link'}
  <a class="leads" href={item.data.url} target="_blank" rel="noopener noreferrer" onclick={followed}>
    {#if item.made.includes('poster')}<img src="{item.look}poster" alt="" />{/if}
    <span class="figure">{item.data.url} ↗</span>
  </a>
{:else if item.made.includes('text')}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (a text that scrolls must be reachable by key) -->
  {#if text}<pre role="region" tabindex="0" aria-label="Text of {item.name}">{text}</pre>{/if}
  {#if !item.take}<p class="muted">
      {text ? 'This is its beginning. Whoever may take it has the whole.' : 'It is too short to show a part of.'}
    </p>{/if}
{:else}
  <Tree load={entries} />
{/if}

<style>
  .leads {
    display: block;
    color: var(--main);
    overflow-wrap: anywhere;
  }
  .leads img {
    display: block;
    width: 100%;
    border-radius: var(--radius);
    margin-bottom: var(--s-3);
  }
  .muted {
    margin-top: var(--s-3);
    font-size: var(--t-small);
  }
  pre {
    max-height: 60vh;
    overflow: auto;
    padding: var(--s-7) var(--s-7);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    font-family: var(--font-mono);
    font-size: var(--t-small);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
</style>
