<!-- Another password. -->
<script lang="ts">
  import { api, need, Problem, words } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';

  let { did }: { did: () => void } = $props();
  let old = $state('');
  let fresh = $state('');
  let problem = $state('');
  let at = $state('');
  let done = $state(false);
  let busy = $state(false);

  async function change(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    done = false;
    try {
      await need(api.PUT('/api/v1/account/password', { body: { old, new: fresh } }));
      old = fresh = problem = '';
      done = true;
      did();
    } catch (thrown) {
      problem = words(thrown);
      at = thrown instanceof Problem ? thrown.at : '';
    } finally {
      busy = false;
    }
  }
</script>

<section aria-label="Password">
  <h2>Password</h2>
  <form onsubmit={change}>
    <Field
      label="As it is now"
      type="password"
      autocomplete="current-password"
      required
      bind:value={old}
      problem={at === 'old' ? problem : ''}
    />
    <Field
      label="The new one"
      type="password"
      autocomplete="new-password"
      required
      bind:value={fresh}
      problem={at === 'old' ? '' : problem}
    />
    <p class="muted">
      At least 12 characters; four words that do not belong together are good. All other browsers are signed out.
    </p>
    <Button look="main" disabled={busy || !old || !fresh}>{busy ? 'Changing' : 'Change the password'}</Button>
    {#if done}<p class="done" role="status">Your password is changed.</p>{/if}
  </form>
</section>

<style>
  form {
    display: grid;
    justify-items: start;
    gap: var(--s-2);
    max-width: 420px;
    padding-top: var(--s-5);
  }
  form :global(.field) {
    margin-bottom: var(--s-4);
  }
  form :global(.problem) {
    margin-bottom: var(--s-4);
  }
  .muted {
    font-size: var(--t-small);
    margin-bottom: var(--s-4);
  }
  .done {
    color: var(--main);
  }
</style>
