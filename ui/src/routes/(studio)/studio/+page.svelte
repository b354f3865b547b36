<script lang="ts">
  import { api, need } from '$api/client';
  import Record from '$lib/account/Record.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { session } from '$lib/session.svelte';
  import Held from '$lib/studio/Held.svelte';
  import Members from '$lib/studio/Members.svelte';
  import Named from '$lib/studio/Named.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Pair from '$lib/ui/Pair.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  const studios = new Resource(() => need(api.GET('/api/v1/studio')));
  void studios.load();
  /** counts what has changed here, for the record */
  let changed = $state(0);
  async function note() {
    changed++;
    await studios.load();
  }
</script>

<svelte:head><title>Studio · Aftergust</title></svelte:head>

<main class="wide">
  <Wait of={studios} shape="page">
    {#snippet children(studio)}
      <div class="headline">
        <div>
          <h1>{studio.name}</h1>
          <p class="muted">
            {studio.members.length === 1 ? 'One person works here' : `${studio.members.length} people work here`}
          </p>
        </div>
        <div class="ways">
          <Button href="/letterheads">Letterheads</Button>
          {#if session.member?.runs}<Button href="/hooks">Webhooks</Button>{/if}
        </div>
      </div>
      <Pair>
        {#snippet left()}
          <Members {studio} did={note} />
          <Named {studio} did={note} />
          <Held {studio} />
        {/snippet}
        {#snippet right()}
          <Record {changed} />
        {/snippet}
      </Pair>
    {/snippet}
  </Wait>
</main>

<style>
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
  }
</style>
