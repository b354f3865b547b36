<!-- To ask the producer to be let in, and what became of it. -->
<script lang="ts">
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { api, need, words, type GuestPage } from '$api/client';

  let {
    guest,
    link,
    look = false,
  }: {
    guest: GuestPage;
    link: string;
    /** there is another way in, so that this one is not unfolded */
    look?: boolean;
  } = $props();
  let name = $state('');
  let message = $state('');
  let sent = $state(false);
  let problem = $state('');
  // svelte-ignore state_referenced_locally (where it begins)
  let open = $state(!look);

  async function ask(event: SubmitEvent) {
    event.preventDefault();
    try {
      await need(
        api.POST('/api/v1/r/{link}/ask', {
          params: { path: { link } },
          body: { message, ...(name.trim() && { name }) },
        }),
      );
      sent = true;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
</script>

{#if guest.may_ask}
  <div class="ask">
    {#if sent || guest.asked === 'waiting'}
      <p class="done" role="status">
        {guest.sender} has been told. This page opens by itself when they let you in; the same link works later, too.
      </p>
    {:else}
      {#if guest.asked === 'turned_away'}
        <p role="status">{guest.sender} did not open it this time. If it still matters, write to them.</p>
      {/if}
      {#if open}
        <form onsubmit={ask}>
          {#if guest.anyone}<Field label="Your name" bind:value={name} autocomplete="name" maxlength={80} />{/if}
          <Area
            id="message"
            label="Ask {guest.sender} for it"
            rows={3}
            placeholder="A word about what you still need (not required)"
            bind:value={message}
          />
          <Button look={look ? 'plain' : 'main'}>Ask to be let in</Button>
        </form>
      {:else}
        <p class="muted">
          You cannot? <Button look="link" onclick={() => (open = true)}>Ask {guest.sender} to let you in</Button>
        </p>
      {/if}
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  </div>
{/if}

<style>
  .ask {
    margin-top: var(--s-8);
    max-width: 480px;
  }
  form {
    display: grid;
    gap: var(--s-1);
    justify-items: start;
  }
  form :global(.field) {
    margin-bottom: var(--s-4);
  }
  .done {
    color: var(--main);
  }
</style>
