<!-- What the studio holds, of what it may. -->
<script lang="ts">
  import type { Schemas } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import Progress from '$lib/ui/Progress.svelte';

  let { studio }: { studio: Schemas['StudioView'] } = $props();
  const share = $derived(studio.quota ? Math.min(1, studio.used / studio.quota) : 0);
</script>

<section aria-label="Space">
  <h2>Space</h2>
  <p class="figure used">{studio.used_saying}</p>
  <Progress done={share} label="Space that is used" />
  <p class="more"><Button look="link" href="/gather?view=space">What takes room</Button></p>
</section>

<style>
  .used {
    padding-top: var(--s-5);
    margin-bottom: var(--s-4);
  }
  .more {
    margin-top: var(--s-5);
  }
</style>
