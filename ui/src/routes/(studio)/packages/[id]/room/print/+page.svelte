<script lang="ts">
  import { page } from '$app/state';
  import Printed from '$lib/room/Printed.svelte';
  import { Seat } from '$lib/room/seat';

  const seat = new Seat();
</script>

<Printed {seat} back="/packages/{page.params.id}/room?item={page.url.searchParams.get('item') ?? ''}" />
