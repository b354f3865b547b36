<!-- What was deleted in the last thirty days, to be taken back or let go. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Schemas } from '$api/client';
  import { left, onClock, weight } from '$lib/time';

  let gone = $state<Schemas['Deletion'][] | null>(null);
  let problem = $state('');
  let sure = $state('');

  async function load() {
    try {
      gone = await need(api.GET('/api/v1/let-go', {}));
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  $effect(() => void load());

  async function act(work: Promise<unknown>) {
    try {
      await work;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
    sure = '';
    await load();
  }
  const params = (id: string) => ({ params: { path: { id } } });
</script>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if gone?.length === 0}
  <p class="muted">
    Nothing was let go. What you delete in Gather waits here for 30 days; packages keep what they have.
  </p>
{/if}
<ul aria-label="What was let go">
  {#each gone ?? [] as d (d.id)}
    <li>
      <span>
        <strong>{d.name}</strong>
        <span class="muted">{count(d.items, 'file')} · deleted by {d.who}, {onClock(new Date(d.at))}</span>
      </span>
      <span class="figure">{weight(d.size)}</span>
      <span class="figure muted">{left(new Date(d.until))} left</span>
      <span class="acts">
        {#if sure === d.id}
          <span>{d.name} goes for good; this cannot be undone.</span>
          <Button look="wrong" onclick={() => act(need(api.DELETE('/api/v1/let-go/{id}', params(d.id))))}
            >Delete for good</Button
          >
          <Button look="link" onclick={() => (sure = '')}>Keep it</Button>
        {:else}
          <Button onclick={() => act(need(api.POST('/api/v1/let-go/{id}/restore', params(d.id))))}>Take back</Button>
          <Button look="link" onclick={() => (sure = d.id)} aria-label="Delete {d.name} for good">For good</Button>
        {/if}
      </span>
    </li>
  {/each}
</ul>

<style>
  p,
  ul {
    margin-top: var(--s-8);
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 80px 100px auto;
    gap: var(--s-8);
    align-items: center;
    min-height: 58px;
    border-bottom: 1px solid var(--line);
  }
  li > span:first-child {
    display: grid;
  }
  .figure {
    text-align: right;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3) var(--s-7);
    align-items: center;
    justify-content: flex-end;
    padding: var(--s-2) 0;
  }
  @media (--narrow) {
    li {
      grid-template-columns: minmax(0, 1fr) 80px;
    }
    .acts {
      grid-column: 1 / -1;
      justify-content: flex-start;
    }
  }
</style>
