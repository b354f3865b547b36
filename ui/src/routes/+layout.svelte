<script lang="ts">
  import '../app.css';
  import Elsewhere from '$lib/player/Elsewhere.svelte';
  let { children } = $props();
</script>

{@render children()}
<Elsewhere />
