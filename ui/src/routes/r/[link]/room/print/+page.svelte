<script lang="ts">
  import '$lib/fonts.light';
  import { page } from '$app/state';
  import Printed from '$lib/room/Printed.svelte';
  import { Seat } from '$lib/room/seat';

  const link = $derived(page.params.link ?? '');
  const seat = $derived(new Seat(link));
</script>

{#key link}<Printed {seat} back="/r/{link}/room?item={page.url.searchParams.get('item') ?? ''}" />{/key}
