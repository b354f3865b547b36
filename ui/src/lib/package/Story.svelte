<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Package, type Schemas } from '$api/client';
  import { clock, live } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';
  import { Turns } from '$lib/turns';

  let { parcel }: { parcel: Package } = $props();
  let events = $state<Schemas['EventView'][]>();
  let problem = $state('');
  let ended = $state(true);
  const whole = 200; // how much of the story is told at once

  const turns = new Turns();
  async function load() {
    const latest = turns.take();
    try {
      const all = await need(api.GET('/api/v1/packages/{id}/story', { params: { path: { id: parcel.id } } }));
      if (!latest()) return;
      events = all;
      ended = all.length < whole;
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  load();
  live('/api/v1/live', (change) => change.package === parcel.id && load());

  // The story goes on where what is shown of it ends.
  async function older() {
    const before = events?.at(-1)?.cursor ?? '';
    const page = await need(
      api.GET('/api/v1/packages/{id}/story', { params: { path: { id: parcel.id }, query: { before } } }),
    );
    events = [...(events ?? []), ...page];
    ended = page.length < whole;
  }
</script>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
<ol>
  {#each events ?? [] as e (e.id)}
    <li>
      <time class="figure muted" datetime={e.at} title={inFull(new Date(e.at))}
        >{briefly(new Date(e.at), clock.now)}</time
      >
      {e.saying}
    </li>
  {/each}
</ol>
{#if !ended}<Button look="quiet" onclick={older}>What happened before</Button>{/if}

<style>
  li {
    display: grid;
    grid-template-columns: 110px 1fr;
    padding: var(--s-2) 0;
    border-bottom: 1px solid var(--line);
  }
</style>
