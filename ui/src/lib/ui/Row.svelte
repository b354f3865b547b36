<!-- One of a list of people or things: what it is, what is known of it, and what can be done with it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    title: string;
    /** what is known of it */
    children: Snippet;
    /** what can be done with it */
    acts?: Snippet;
  }
  let { title, children, acts }: Props = $props();
</script>

<li>
  <span class="what">
    <strong>{title}</strong>
    <span class="muted">{@render children()}</span>
  </span>
  {@render acts?.()}
</li>

<style>
  li {
    display: flex;
    align-items: center;
    gap: var(--s-7);
    padding: var(--s-4) 0;
    border-bottom: 1px solid var(--line);
  }
  .what {
    flex: 1;
    min-width: 0;
  }
  .what > * {
    display: block;
    overflow-wrap: anywhere;
  }
  .muted {
    font-size: var(--t-small);
  }
</style>
