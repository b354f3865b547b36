<!-- The shape of what comes, after 150 ms: shorter waits show nothing that flickers. -->
<script lang="ts">
  import Skeleton from 'flowbite-svelte/Skeleton.svelte';

  let { shape = 'lines', class: where = '' }: { shape?: 'lines' | 'rows' | 'page'; class?: string } = $props();
</script>

<Skeleton aria-label="Loading" class="skeleton {shape} {where}" classes={{ line: 'bone' }} />
