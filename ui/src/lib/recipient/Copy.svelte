<!-- A copy in a project of one's own studio on this server: nothing travels. -->
<script lang="ts">
  import { api, need, words, type GuestPage, type Place } from '$api/client';
  import { count } from '$lib/count';
  import ChoosePlace from '$lib/gather/ChoosePlace.svelte';
  import Button from '$lib/ui/Button.svelte';

  let { guest, link, chosen }: { guest: GuestPage; link: string; chosen: string[] } = $props();
  let open = $state(true);
  let busy = $state(false);
  let kept = $state<{ items: number; place: Place }>();
  let problem = $state('');

  async function keep(place: Place) {
    busy = true;
    problem = '';
    try {
      const body = { place: place.id, ...(chosen.length && { items: chosen }) };
      const { items } = await need(api.POST('/api/v1/r/{link}/keep', { params: { path: { link } }, body }));
      kept = { items, place };
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<ChoosePlace
  bind:open
  title={chosen.length ? `Keep ${count(chosen.length, 'item')} in ${guest.keeper}` : `Keep a copy in ${guest.keeper}`}
  verb="Keep it in"
  chosen={keep}
/>
<p class="small" role="status">
  {#if busy}Keeping a copy.
  {:else if kept}{count(kept.items, 'item')} kept in
    <a href="/gather?in={kept.place.id}">{kept.place.name}</a>. Nothing had to be downloaded.
  {:else if !problem}<Button look="link" onclick={() => (open = true)}>Choose a project</Button>{/if}
</p>
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}

<style>
  p {
    margin-top: var(--s-3);
    font-size: var(--t-small);
  }
  a {
    color: var(--main);
    text-decoration: underline;
  }
</style>
