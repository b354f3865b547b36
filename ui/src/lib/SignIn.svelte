<!-- Who are you: the two fields of the sign-in, on its page and over a page whose session ended. -->
<script lang="ts">
  import { words } from '$api/client';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';

  /** done is called with whether it is the one who was signed in before */
  let { done }: { done: (same: boolean) => void | Promise<void> } = $props();
  let email = $state(session.member?.email ?? '');
  let password = $state('');
  let problem = $state('');
  let busy = $state(false);

  async function enter(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      const same = await session.signIn(email, password);
      problem = '';
      await done(same);
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<form onsubmit={enter}>
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
  form :global(.problem) {
    margin-bottom: var(--s-5);
  }
</style>
