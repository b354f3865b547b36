<!-- Two columns of sections under the headline of a page; one on a phone. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  let { left, right }: { left: Snippet; right: Snippet } = $props();
</script>

<div class="two">
  <div>{@render left()}</div>
  <div>{@render right()}</div>
</div>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 0 var(--s-13);
  }
  .two :global(section) {
    margin-top: var(--s-9);
  }
  .two :global(h2) {
    font-size: var(--t-lead);
    padding-bottom: var(--s-3);
    border-bottom: 1px solid var(--line);
  }
  @media (--middle) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
