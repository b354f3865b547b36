<!-- Above everything, until whoever founded the studio has shown that the mail address is theirs. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import { live } from '$lib/live.svelte';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';

  let { address }: { address: string } = $props();
  let code = $state('');
  let better = $state('');
  let correcting = $state(false);
  let sent = $state('');
  const form = new Form();
  let letter = $state<Schemas['ConfirmLetterView']>();
  const look = () =>
    need(api.GET('/api/v1/account/address')).then(
      (is) => (letter = is),
      () => undefined, // then it says what it did before
    );
  $effect(() => {
    void address;
    void look();
  });
  live('/api/v1/live', (change) => {
    if (change.what === 'letters' || change.what === 'resync') void look();
  });

  function confirm(event: SubmitEvent) {
    event.preventDefault();
    void form.send(async () => {
      await need(api.POST('/api/v1/account/address/confirm', { body: { code } }));
      await session.load();
    });
  }
  const again = (email: string) =>
    form.send(async () => {
      await need(api.POST('/api/v1/account/address/code', { body: { email } }));
      await session.load();
      sent = email || address;
      await look();
      correcting = false;
      code = better = '';
    });
  function correct(event: SubmitEvent) {
    event.preventDefault();
    void again(better.trim());
  }
</script>

<section class="confirm noprint" aria-label="Confirm your mail address">
  <p>
    {#if letter?.problem}
      <strong>The code for {address} has not gone out.</strong>
      {letter.problem} Email is not working on this server: check <span class="figure">AFTERGUST_SMTP_URL</span>, or
      confirm the address there with <span class="figure">aftergust confirm -email {address}</span>. Gathering and
      packing go on meanwhile.
    {:else}
      {#if sent}A new code went to <strong>{sent}</strong>.{:else}A code went to <strong>{address}</strong>.{/if} Type it
      in, and you can send. Gathering and packing go on meanwhile.
    {/if}
  </p>
  {#if correcting}
    <form onsubmit={correct}>
      <Field
        aria-label="Your mail address"
        type="email"
        required
        autocomplete="email"
        placeholder={address}
        bind:value={better}
        problem={form.problem}
      />
      <Button look="main" disabled={form.busy || !better.trim()}>Send a code there</Button>
      <Button look="link" onclick={() => (correcting = false)}>Keep {address}</Button>
    </form>
  {:else}
    <form onsubmit={confirm}>
      <Field
        aria-label="Code"
        inputmode="numeric"
        autocomplete="one-time-code"
        maxlength={12}
        required
        placeholder="six digits"
        bind:value={code}
        problem={form.problem}
      />
      <Button look="main" disabled={form.busy || !code.trim()}>Confirm</Button>
      <Button look="link" disabled={form.busy} onclick={() => again('')}>Another code</Button>
      <Button look="link" onclick={() => (correcting = true)}>Wrong address</Button>
    </form>
  {/if}
</section>

<style>
  .confirm {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    justify-content: space-between;
    gap: var(--s-3) var(--s-9);
    padding: var(--s-4) var(--page);
    border-bottom: 1px solid var(--line);
    background: var(--surface);
  }
  p {
    flex: 1 1 320px;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-3) var(--s-6);
  }
  form > :global(.field) {
    flex: 0 1 220px;
    width: 220px;
  }
</style>
