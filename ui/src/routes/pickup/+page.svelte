<!-- A code that was read out on the phone is typed in here. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { api, need } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Frame from '$lib/ui/Frame.svelte';
  import '$lib/fonts.light';

  let code = $state('');
  const form = new Form();
  async function open(event: SubmitEvent) {
    event.preventDefault();
    await form.send(async () => {
      const { link } = await need(api.POST('/api/v1/pickup', { body: { code } }));
      await goto(`/r/${link}`);
    });
  }
</script>

<svelte:head><title>Pick up · Aftergust</title></svelte:head>

<Frame>
  <h1>Pick something up</h1>
  <p class="say">Type the code that was read out to you. Small letters and missing dashes do not matter.</p>
  <form onsubmit={open}>
    <Field
      id="code"
      label="Pickup code"
      bind:value={code}
      placeholder="4TKM-7R9-2XD"
      autocomplete="off"
      autocapitalize="characters"
      spellcheck={false}
      required
      autofocus
      problem={form.problem}
    />
    <Button look="main" disabled={form.busy}>{form.busy ? 'Opening' : 'Open'}</Button>
  </form>
  {#snippet beside()}
    <dl>
      <dt>the code</dt>
      <dd>ten letters and digits; it works once, for ten minutes</dd>
      <dt>then</dt>
      <dd>you choose what to take; this browser may come back for a day</dd>
      <dt>recorded</dt>
      <dd>what is opened, played and taken, under the name it was made for</dd>
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
    gap: var(--s-4);
    justify-items: start;
    max-width: 420px;
  }
  form :global(.field) {
    font-family: var(--font-mono);
    font-size: var(--t-large);
    letter-spacing: 0.06em;
  }
</style>
