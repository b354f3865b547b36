<!-- Who are you: the two fields of the sign-in, on its page and over a page whose session ended. -->
<script lang="ts">
  import { Problem, words } from '$api/client';
  import * as passkey from '$lib/passkey';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';

  /** done is called with whether it is the one who was signed in before */
  let { done }: { done: (same: boolean) => void | Promise<void> } = $props();
  let email = $state(session.member?.email ?? '');
  let password = $state('');
  let code = $state('');
  /** the password was right, and something else is asked for beside it */
  let second = $state(false);
  let problem = $state('');
  let busy = $state(false);

  async function attempt(work: () => Promise<boolean>) {
    busy = true;
    try {
      const same = await work();
      problem = '';
      await done(same);
    } catch (thrown) {
      const asks = thrown instanceof Problem && thrown.code === 'second_needed';
      problem = asks ? '' : thrown instanceof DOMException ? 'No passkey was chosen.' : words(thrown);
      second ||= asks;
    } finally {
      busy = false;
    }
  }
  const enter = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(() => session.signIn(email, password, code));
  };
  const byKey = () => attempt(() => session.signInByKey());
</script>

<form onsubmit={enter}>
  {#if second}
    <p class="next">The password is right. Now the code that your app shows, or one of your recovery codes.</p>
    <Field id="code" label="Code" autocomplete="one-time-code" autofocus required bind:value={code} {problem} />
    <Button look="main" disabled={busy || !code}>{busy ? 'Signing in' : 'Sign in'}</Button>
  {:else}
    <Field id="email" label="Mail address" type="email" autocomplete="username" required bind:value={email} />
    <Field
      id="password"
      label="Password"
      type="password"
      autocomplete="current-password"
      required
      bind:value={password}
      {problem}
    />
    <Button look="main" disabled={busy}>{busy ? 'Signing in' : 'Sign in'}</Button>
  {/if}
  {#if passkey.possible()}<p class="other"><Button look="link" onclick={byKey}>Use a passkey</Button></p>{/if}
</form>

<style>
  form {
    display: grid;
    gap: var(--s-1);
    justify-items: stretch;
  }
  form :global(.field) {
    margin-bottom: var(--s-5);
  }
  .next {
    margin-bottom: var(--s-5);
  }
  .other {
    margin-top: var(--s-5);
  }
  form :global(.problem) {
    margin-bottom: var(--s-5);
  }
</style>
