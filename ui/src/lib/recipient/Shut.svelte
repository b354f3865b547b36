<!-- What is said where nothing can be fetched, and how to ask for it. -->
<script lang="ts">
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type GuestPage } from '$api/client';
  import { onClock } from '$lib/time';

  let { title, say, guest, link = '' }: { title: string; say: string; guest?: GuestPage; link?: string } = $props();
  let message = $state('');
  let said = $state('');
  let problem = $state('');
  const mayAsk = $derived(guest && ['ended', 'stopped', 'removed'].includes(guest.standing));

  async function ask(event: SubmitEvent) {
    event.preventDefault();
    try {
      await need(api.POST('/api/v1/r/{link}/ask', { params: { path: { link } }, body: { message } }));
      said = `${guest?.sender} has been told. If they open it again, this same link works.`;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
</script>

<main>
  <div class="stub">
    <svg width="30" height="30" viewBox="0 0 24 24" aria-hidden="true"
      ><circle cx="12" cy="12" r="10" fill="currentColor" /></svg
    >
    <div>
      <h1>{title || 'This package is closed'}</h1>
      {#if guest}<p class="muted">From {guest.sender}{guest.anyone ? '' : `, for you, ${guest.recipient}`}</p>{/if}
    </div>
  </div>
  <p class="say">{say}</p>
  {#if guest?.standing === 'ended' && guest.ends_at}<p class="figure muted">
      It was here until {onClock(new Date(guest.ends_at))}.
    </p>{/if}
  {#if mayAsk}
    {#if said}
      <p class="done" role="status">{said}</p>
    {:else}
      <form onsubmit={ask}>
        <Area
          id="message"
          label="Ask {guest?.sender} for it"
          rows={3}
          placeholder="A word about what you still need (not required)"
          bind:value={message}
        />
        <Button look="main">Ask to be let in</Button>
      </form>
    {/if}
  {/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
</main>

<style>
  main {
    max-width: 640px;
    padding: 40px var(--page);
  }
  .stub {
    display: flex;
    gap: 16px;
    align-items: center;
    color: var(--muted);
    border-bottom: 2px dotted var(--perforation);
    padding-bottom: 18px;
    margin-bottom: 18px;
  }
  h1 {
    color: var(--ink);
  }
  .say {
    font-size: var(--t-lead);
    margin-bottom: 8px;
  }
  form {
    margin-top: 22px;
    display: grid;
    gap: 8px;
    justify-items: start;
  }
  .done {
    color: var(--main);
    margin-top: 22px;
  }
  @media (--narrow) {
    main {
      padding: 24px 16px;
    }
  }
</style>
