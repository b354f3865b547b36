<!-- Says that the server is out of reach, while it is: what stands on the page may be old then. -->
<script lang="ts">
  import { reach } from '$lib/live.svelte';
</script>

<div class="reach noprint" role="status">
  {#if reach.lost}<p>Aftergust can't be reached. This page may be out of date; it will catch up by itself.</p>{/if}
</div>

<style>
  .reach {
    position: fixed;
    inset: 0 0 auto;
    z-index: 40;
    pointer-events: none;
    display: grid;
    justify-items: center;
  }
  p {
    margin: var(--s-2);
    padding: var(--s-2) var(--s-6);
    background: var(--late-faint);
    border: 1px solid var(--late);
    border-radius: var(--radius);
    color: var(--ink);
    font-size: var(--t-small);
  }
</style>
