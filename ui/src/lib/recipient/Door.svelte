<script lang="ts">
  import Ask from './Ask.svelte';
  import Frame from '$lib/ui/Frame.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { onClock } from '$lib/time';
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
  let name = $state('');
  let address = $state('');
  const book = $derived(guest.standing === 'need_address');
  async function enter(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      if (book) await need(api.POST('/api/v1/r/{link}/sign', { ...path, body: { name, address } }));
      else await need(api.POST('/api/v1/r/{link}/enter', { ...path, body: { answer } }));
      problem = '';
      await entered();
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
  }
</script>

<Frame studio={guest.studio} banner={guest.letterhead?.banner}>
  <h1>{guest.sender} sent you something</h1>
  <p class="muted say">{guest.say}</p>
  {#if book}
    <form class="book" onsubmit={enter}>
      <Field label="Your name" bind:value={name} autocomplete="name" required maxlength={80} />
      <Field label="Your mail address" type="email" bind:value={address} autocomplete="email" required />
      <Button look="main" disabled={busy}>{busy ? 'Opening' : 'Open'}</Button>
    </form>
  {:else if code && !asked}
    <Button look="main" onclick={ask} disabled={busy}>{busy ? 'Sending' : 'Send me a code'}</Button>
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
      <Button look="main" disabled={busy}>{busy ? 'Opening' : 'Open'}</Button>
    </form>
    {#if code}<p class="muted">
        No letter? It may lie among unwanted mail. <Button look="link" onclick={ask} disabled={busy}
          >Send another</Button
        >
      </p>{/if}
  {/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <Ask {guest} {link} look />
  {#snippet beside()}
    <dl>
      <dt>from</dt>
      <dd>{guest.sender}, {guest.studio}</dd>
      {#if !guest.anyone}
        <dt>for</dt>
        <dd>{guest.recipient}</dd>
      {/if}
      {#if guest.sent_at}
        <dt>sent</dt>
        <dd>{onClock(new Date(guest.sent_at))}</dd>
      {/if}
      <dt>opens</dt>
      <dd>
        {guest.opens}
      </dd>
      <dt>recorded</dt>
      <dd>
        what is opened, looked at, played and taken through this link{guest.anyone && !book ? '' : ', under your name'}
      </dd>
      <dt>not yours</dt>
      <dd>Close this page, and tell whoever sent it.</dd>
    </dl>
  {/snippet}
</Frame>

<style>
  .say {
    margin: var(--s-5) 0 var(--s-9);
    max-width: 48ch;
  }
  form {
    display: grid;
    grid-template-columns: minmax(0, 1fr) max-content;
    gap: 0 var(--s-4);
    max-width: 480px;
    margin-bottom: var(--s-6);
  }
  .book {
    grid-template-columns: minmax(0, 1fr);
    gap: var(--s-3);
    justify-items: start;
  }
  form > :global(.label) {
    grid-column: 1 / -1;
  }
  form > :global(.button) {
    min-height: 42px;
    min-width: 88px;
  }
  .problem {
    max-width: 480px;
  }
</style>
