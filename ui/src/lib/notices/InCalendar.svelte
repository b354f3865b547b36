<!-- The address at which one's calendar asks for what ends when. -->
<script lang="ts">
  import { api, need } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { undo } from '$lib/undo.svelte';
  import Button from '$lib/ui/Button.svelte';

  const feed = new Resource(() => need(api.GET('/api/v1/calendar')));
  void feed.load();
  const attempts = new Attempt(() => feed.load());
  const make = () => attempts.run(() => need(api.POST('/api/v1/calendar')));
  const remove = () =>
    attempts.run(async () => {
      await need(api.DELETE('/api/v1/calendar'));
      undo.did('The address leads nowhere now.');
    });
  async function copy() {
    await navigator.clipboard.writeText(feed.value?.address ?? '');
    undo.did('Copied. Add it to your calendar as one from an address.');
  }
</script>

<section aria-labelledby="calendar">
  <h2 id="calendar">In your calendar</h2>
  {#if feed.value?.address}
    <p class="muted lead">Your calendar shows when what is out ends. Whoever has the address sees that too.</p>
    <p class="figure address">{feed.value.address}</p>
    <p class="acts">
      <Button onclick={copy}>Copy the address</Button>
      <Button look="link" onclick={make}>Another one</Button>
      <Button look="link" onclick={remove}>None</Button>
    </p>
  {:else if feed.value}
    <p class="muted lead">Your calendar can show when what is out ends, from an address of your own.</p>
    <Button onclick={make}>Make an address</Button>
  {/if}
  {#if attempts.problem || feed.problem}<p class="problem" role="alert">{attempts.problem || feed.problem}</p>{/if}
</section>

<style>
  .lead {
    margin-bottom: var(--s-3);
  }
  .address {
    font-size: var(--t-small);
    overflow-wrap: anywhere;
    margin-bottom: var(--s-3);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-5);
    align-items: center;
  }
</style>
