<!-- What only members see. Recipients' pages lie outside, so that they stay light. -->
<script lang="ts">
  import '$lib/studio.css';
  import '$lib/fonts';
  import Shell from '$lib/Shell.svelte';
  let { children } = $props();
</script>

<Shell>{@render children()}</Shell>
