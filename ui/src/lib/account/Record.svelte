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
            <span>{line.saying}</span>
            <span class="figure muted from">{line.source}</span>
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
    grid-template-columns: 76px minmax(0, 1fr) max-content;
    gap: var(--s-5);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
    font-size: var(--t-control);
    overflow-wrap: anywhere;
  }
  .from {
    font-size: var(--t-small);
  }
  @media (--phone) {
    li {
      grid-template-columns: 64px minmax(0, 1fr);
    }
    .from {
      grid-column: 2;
    }
  }
  ol {
    margin-bottom: var(--s-5);
  }
</style>
