<!-- What is to lie at a note or an answer, before it is sent, and the field by which a picture is chosen for it. -->
<script lang="ts">
  import type { Attaching } from './attaching.svelte';
  import Said from './Said.svelte';
  import type { Seat } from './seat';

  let { attaching, seat, label }: { attaching: Attaching; seat: Seat; label: string } = $props();
  let file = $state<HTMLInputElement>();
  export const choose = () => file?.click();
</script>

{#if attaching.all.length || attaching.busy}
  <div class="attached">
    {#each attaching.all as a (a.id)}
      <span class="thing">
        {#if a.kind === 'voice'}<Said voice={a} src={seat.attached(a.id)} />
        {:else}<img src={seat.attached(a.id)} alt="What you attached" />{/if}
        <button type="button" aria-label="Leave the {a.kind} out" onclick={() => attaching.drop(a)}>×</button>
      </span>
    {/each}
    {#if attaching.busy}<span class="muted" role="status">{attaching.busy} …</span>{/if}
  </div>
{/if}
<input
  bind:this={file}
  class="visually-hidden"
  type="file"
  accept="image/*"
  tabindex="-1"
  aria-label={label}
  onchange={(e) => (attaching.take(e.currentTarget.files), (e.currentTarget.value = ''))}
/>
{#if attaching.problem}<p class="problem" role="alert">{attaching.problem}</p>{/if}

<style>
  .attached {
    --behind: var(--surface);
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-4);
    align-items: center;
    padding: var(--s-3) var(--s-4) 0;
  }
  .thing {
    display: flex;
    align-items: center;
    gap: var(--s-2);
  }
  .thing img {
    height: 56px;
    border-radius: var(--radius);
  }
  .thing button {
    min-width: 26px;
    min-height: 26px;
  }
  .problem {
    padding: var(--s-3) var(--s-4) 0;
  }
</style>
