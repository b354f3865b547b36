<!-- Where a reminder leads whose reader wants no other: one press, and no account. -->
<script lang="ts">
  import '$lib/fonts';
  import { page } from '$app/state';
  import { api, need, words } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  const link = $derived(page.params.link ?? '');
  let done = $state(false);
  let busy = $state(false);
  let problem = $state('');

  async function quiet() {
    busy = true;
    try {
      await need(api.POST('/api/v1/r/{link}/quiet', { params: { path: { link } } }));
      done = true;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>No reminders</title></svelte:head>

<Frame>
  {#if done}
    <h1>No reminders any more</h1>
    <p class="say">You get no further reminder of this package. It is there for you until it ends, as before.</p>
    <Button href="/r/{link}">Open the package</Button>
  {:else}
    <h1>No reminders of this package?</h1>
    <p class="say">Whoever sent it sees that you asked for this. Your link stays as it is.</p>
    <p class="acts">
      <Button look="main" onclick={quiet} disabled={busy}>{busy ? 'Asking' : 'Remind me no more'}</Button>
      <Button href="/r/{link}">Open the package</Button>
    </p>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {/if}
</Frame>

<style>
  .say {
    margin: var(--s-6) 0 var(--s-8);
    max-width: 46ch;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-4);
    margin-bottom: var(--s-5);
  }
</style>
