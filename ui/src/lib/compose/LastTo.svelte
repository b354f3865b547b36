<!-- What went to somebody last, what they could do with it, and what they have of it. -->
<script lang="ts">
  import { api, need } from '$api/client';
  import { Resource } from '$lib/resource.svelte';
  import { onClock } from '$lib/time';
  import Rights from '$lib/ui/Rights.svelte';
  import Ring from '$lib/ui/Ring.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  let { person }: { person: string } = $props();
  const last = new Resource(() => need(api.GET('/api/v1/people/{id}/packages', { params: { path: { id: person } } })));
  $effect(() => {
    if (person) void last.load();
  });
</script>

<Wait of={last} shape="rows">
  {#snippet children(packages)}
    <ul>
      {#each packages ?? [] as p (p.package)}
        <li>
          <Ring state={p.state} stopped={p.stopped} size={15} />
          <span class="what">
            <a href="/packages/{p.package}">{p.title}</a>
            <span class="muted">{p.saying}</span>
          </span>
          <Rights rights={p.rights ?? []} who="They" />
          <span class="figure muted">{p.sent_at ? onClock(new Date(p.sent_at)) : ''}</span>
        </li>
      {:else}
        <li class="muted">Nothing has gone to them yet.</li>
      {/each}
    </ul>
  {/snippet}
</Wait>

<style>
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-2) var(--s-6);
    padding: var(--s-4) 0;
    border-bottom: 1px solid var(--line);
  }
  .what {
    flex: 1 1 200px;
    min-width: 0;
  }
  .what > * {
    display: block;
    overflow-wrap: anywhere;
  }
  .what a {
    font-weight: 600;
  }
  .what a:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .what .muted {
    font-size: var(--t-small);
  }
</style>
