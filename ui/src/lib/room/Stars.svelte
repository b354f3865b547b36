<!-- How many stars a version was given: one's own to press, and what the others gave. -->
<script lang="ts">
  import type { RoomData } from '$api/client';

  let { stars, may, give }: { stars: RoomData['stars']; may: boolean; give: (n: number) => void } = $props();
  const own = $derived(stars.find((s) => s.mine)?.stars ?? 0);
  const others = $derived(stars.filter((s) => !s.mine));
  const says = $derived(others.map((s) => `${s.name}: ${s.stars}`).join(', '));
  const mean = $derived(stars.length ? stars.reduce((sum, s) => sum + s.stars, 0) / stars.length : 0);
</script>

{#if may || stars.length}
  <span class="stars" role="group" aria-label="Stars{mean ? `, ${mean.toFixed(1)} on the average` : ''}" title={says}>
    {#each [1, 2, 3, 4, 5] as n (n)}
      {#if may}
        <button
          aria-label="{n} {n === 1 ? 'star' : 'stars'}"
          aria-pressed={n <= own}
          onclick={() => give(n === own ? 0 : n)}>{n <= own ? '★' : '☆'}</button
        >
      {:else}<span aria-hidden="true">{n <= Math.round(mean) ? '★' : '☆'}</span>{/if}
    {/each}
    {#if others.length}<span class="muted figure">{mean.toFixed(1)}</span>{/if}
  </span>
{/if}

<style>
  .stars {
    display: flex;
    align-items: center;
    margin-left: auto;
    margin-right: var(--s-4);
  }
  .stars button {
    width: 24px;
    min-height: 24px;
    padding: 0;
    color: var(--late);
    font-size: var(--t-control);
  }
  .figure {
    font-size: var(--t-small);
    padding-left: var(--s-2);
  }
</style>
