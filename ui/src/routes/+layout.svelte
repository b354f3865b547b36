<script lang="ts">
  import '../app.css';
  import { page } from '$app/state';
  import Shell from '$lib/Shell.svelte';

  let { children } = $props();
  const outside = $derived(page.url.pathname.startsWith('/r/') || page.url.pathname === '/sign-in');
</script>

{#if outside}
  {@render children()}
{:else}
  <Shell>{@render children()}</Shell>
{/if}
