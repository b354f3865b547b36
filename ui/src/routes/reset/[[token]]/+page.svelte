<!-- For a member who lost their password: ask for a way back in by mail, and come back by it. -->
<script lang="ts">
  import '$lib/fonts';
  import { page } from '$app/state';
  import { api, need } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  const token = $derived(page.params.token ?? '');
  let email = $state('');
  let password = $state('');
  let done = $state(false);
  const form = new Form();

  async function attempt(event: SubmitEvent, work: () => Promise<unknown>) {
    event.preventDefault();
    done = await form.send(work);
  }
  const ask = (event: SubmitEvent) => attempt(event, () => need(api.POST('/api/v1/reset', { body: { email } })));
  const set = (event: SubmitEvent) =>
    attempt(event, () => need(api.PUT('/api/v1/reset', { body: { token, password } })));
</script>

<svelte:head><title>A new password · Aftergust</title></svelte:head>

<Frame>
  {#if token && done}
    <h1>Your password is set</h1>
    <p class="say">Whoever was signed in as you is signed out.</p>
    <Button look="main" href="/sign-in">Sign in</Button>
  {:else if token}
    <h1>A new password</h1>
    <form class="ask" onsubmit={set}>
      <Field
        label="Password"
        type="password"
        autocomplete="new-password"
        required
        bind:value={password}
        problem={form.problem}
      />
      <Button look="main" disabled={form.busy || !password}>{form.busy ? 'Setting' : 'Set it'}</Button>
    </form>
    {#if form.problem}<p class="again"><Button look="link" href="/reset">Ask for another link</Button></p>{/if}
  {:else if done}
    <h1>Look into your mail</h1>
    <p class="say">If {email} works here, a letter with a link is on its way there. It may lie among unwanted mail.</p>
    <Button href="/sign-in">Back to the sign-in</Button>
  {:else}
    <h1>A new password</h1>
    <form class="ask" onsubmit={ask}>
      <Field
        label="Mail address"
        type="email"
        autocomplete="username"
        required
        bind:value={email}
        problem={form.problem}
      />
      <Button look="main" disabled={form.busy || !email}>{form.busy ? 'Sending' : 'Send me a link'}</Button>
    </form>
    <p class="again"><Button look="link" href="/sign-in">I know it again</Button></p>
  {/if}
  {#snippet beside()}
    <dl>
      <dt>the link</dt>
      <dd>It works once, for thirty minutes. Until then your password is as it was.</dd>
      <dt>password</dt>
      <dd>At least 12 characters; four words that do not belong together are good.</dd>
    </dl>
  {/snippet}
</Frame>

<style>
  .say {
    margin: var(--s-6) 0 var(--s-9);
    max-width: 46ch;
  }
  .again {
    margin-top: var(--s-7);
  }
</style>
