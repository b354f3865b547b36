<!-- The notes as a plain list, by time. -->
<script lang="ts">
  import More from '$lib/ui/More.svelte';
  import { lights } from './lights';
  import type { Laid, Review } from './review.svelte';

  let { review, lit, pick }: { review: Review; lit: string[]; pick: (note: Laid) => void } = $props();
  const page = 200;
  let most = $state(page);
  const shown = $derived(review.shown.slice(0, Math.max(most, review.shown.findIndex((n) => n.id === review.note?.id) + 1))); // prettier-ignore
  const more = async () => void (most += page);
</script>

<ol aria-label="All notes" {@attach lights(lit, shown)}>
  {#each shown as note (note.id)}
    <li>
      <button
        data-note={note.id}
        class:done={note.done}
        aria-current={note.id === review.note?.id}
        onclick={() => pick(note)}
      >
        <span class="figure at">{note.label || (note.anchor.page ? `page ${note.anchor.page}` : 'all of it')}</span>
        <span class="who">{note.mine ? 'You' : note.author}</span>
        <span class="says">{note.says}</span>
        {#if note.done}<span class="muted">done ✓</span>
        {:else if note.answers.length}<span class="muted figure">{note.answers.length} ↵</span>{/if}
      </button>
    </li>
  {:else}
    <li class="muted none">{review.filtered ? 'No note is like that.' : 'No notes yet.'}</li>
  {/each}
</ol>
{#if review.shown.length > shown.length}<More shown={shown.length} count={review.shown.length} {more} />{/if}

<style>
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  button {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr) max-content;
    gap: 0 var(--s-4);
    width: 100%;
    padding: var(--s-3);
    border-left: 2px solid transparent;
    border-bottom: 1px solid var(--line);
    text-align: left;
  }
  button:hover {
    background: var(--surface);
  }
  button[aria-current='true'] {
    border-left-color: var(--late);
    background: var(--surface);
  }
  .at,
  .who,
  .muted {
    font-size: var(--t-small);
  }
  .at {
    color: var(--late);
  }
  .says {
    grid-column: 1 / -1;
    overflow-wrap: anywhere;
  }
  .done .says {
    text-decoration: line-through;
    color: var(--muted);
  }
  :global([data-lit]) .says {
    color: var(--late);
  }
  .none {
    padding: var(--s-7) 0;
  }
</style>
