<!-- What is said where nothing can be fetched, and how to ask for it. -->
<script lang="ts">
  import Frame from '$lib/ui/Frame.svelte';
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

<Frame studio={guest?.studio}>
  <h1>{title || 'This package is closed'}</h1>
  <p class="say">{say}</p>
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
  {#snippet beside()}
    <dl>
      {#if guest}
        <dt>from</dt>
        <dd>{guest.sender}, {guest.studio}</dd>
        {#if !guest.anyone}
          <dt>for</dt>
          <dd>{guest.recipient}</dd>
        {/if}
        {#if guest.standing === 'ended' && guest.ends_at}
          <dt>was here</dt>
          <dd>until {onClock(new Date(guest.ends_at))}, on your clock</dd>
        {/if}
        <dt>yours</dt>
        <dd>What you have downloaded stays with you, and opens as before.</dd>
      {:else}
        <dt>the link</dt>
        <dd>It is 22 signs after /r/. Mail programs sometimes cut long links in two.</dd>
        <dt>what to do</dt>
        <dd>Open it from the letter once more, or ask whoever sent it for a new one.</dd>
        <dt>recorded</dt>
        <dd>nothing</dd>
      {/if}
    </dl>
  {/snippet}
</Frame>

<style>
  .say {
    font-size: var(--t-lead);
    margin: var(--s-5) 0 var(--s-3);
    max-width: 48ch;
  }
  form {
    margin-top: var(--s-8);
    display: grid;
    gap: var(--s-1);
    justify-items: start;
  }
  form :global(.field) {
    margin-bottom: var(--s-4);
  }
  .done {
    color: var(--main);
    margin-top: var(--s-8);
  }
</style>
