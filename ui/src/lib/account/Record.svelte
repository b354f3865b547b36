<!-- The security record of the studio: who came in, who tried to, what changed of the locks. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { clock } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  let { changed }: { changed: number } = $props();
  const page = (before: number) => need(api.GET('/api/v1/account/record', { params: { query: { before } } }));
  const first = new Resource(() => page(0));
  let older = $state<Schemas['EntryLine'][]>([]);
  let end = $state(false);
  $effect(() => {
    void changed;
    older = [];
    end = false;
    void first.load();
  });
  async function more(last: number) {
    const next = await page(last);
    older = [...older, ...next];
    end = next.length < 50;
  }
</script>

<section aria-label="Record">
  <h2>Record</h2>
  <Wait of={first} shape="rows">
    {#snippet children(newest)}
      {@const all = [...newest, ...older]}
      <ol>
        {#each all as line (line.id)}
          <li>
            <time class="figure muted" datetime={line.at} title={inFull(new Date(line.at))}
              >{briefly(new Date(line.at), clock.now)}</time
            >
            <span
              >{line.saying}{#if line.source}<span class="muted">
                  from <span class="figure">{line.source}</span></span
                >{/if}</span
            >
          </li>
        {/each}
      </ol>
      {#if !end && newest.length === 50}<Button look="quiet" onclick={() => more(all.at(-1)!.id)}>Show more</Button
        >{/if}
    {/snippet}
  </Wait>
</section>

<style>
  li {
    display: grid;
    grid-template-columns: 88px minmax(0, 1fr);
    gap: var(--s-5);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
    font-size: var(--t-control);
    overflow-wrap: anywhere;
  }
  ol {
    margin-bottom: var(--s-5);
  }
</style>
