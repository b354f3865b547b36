<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type GuestPage } from '$api/client';

  let { guest, link, entered }: { guest: GuestPage; link: string; entered: () => Promise<void> } = $props();
  let answer = $state('');
  let problem = $state('');
  let asked = $state(false);
  let busy = $state(false);
  const code = $derived(guest.standing === 'need_code');
  const path = $derived({ params: { path: { link } } });

  async function ask() {
    busy = true;
    try {
      await need(api.POST('/api/v1/r/{link}/code', path));
      asked = true;
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
  }
  async function enter(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      await need(api.POST('/api/v1/r/{link}/enter', { ...path, body: { answer } }));
      problem = '';
      await entered();
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
  }
</script>

<main>
  <h1>{guest.sender} sent you a package</h1>
  <p class="muted">{guest.anyone ? '' : `For you, ${guest.recipient}. `}{guest.say}</p>
  {#if code && !asked}
    <Button look="main" onclick={ask} disabled={busy}>Send me a code</Button>
  {:else}
    <form onsubmit={enter}>
      <Field
        id="answer"
        label={code ? 'Six digits from the letter' : 'Passphrase'}
        bind:value={answer}
        inputmode={code ? 'numeric' : undefined}
        autocomplete={code ? 'one-time-code' : 'off'}
        required
      />
      <Button look="main" disabled={busy}>Open</Button>
    </form>
    {#if code}<p class="muted">
        The code works for ten minutes in this browser. <Button look="link" onclick={ask} disabled={busy}
          >Send another</Button
        >
      </p>{/if}
  {/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
</main>

<style>
  main {
    max-width: 460px;
    padding: 36px var(--page);
    display: grid;
    gap: 14px;
    justify-items: start;
  }
  form {
    display: grid;
    gap: 8px;
    width: 100%;
  }
  @media (--narrow) {
    main {
      padding: 24px 16px;
    }
  }
</style>
