<!-- Another password. -->
<script lang="ts">
  import { api, need } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';

  let { did }: { did: () => void } = $props();
  let old = $state('');
  let fresh = $state('');
  let done = $state(false);
  const form = new Form();

  async function change(event: SubmitEvent) {
    event.preventDefault();
    done = false;
    done = await form.send(() => need(api.PUT('/api/v1/account/password', { body: { old, new: fresh } })));
    if (!done) return;
    old = fresh = '';
    did();
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
      problem={form.says('old')}
    />
    <Field
      label="The new one"
      type="password"
      autocomplete="new-password"
      required
      bind:value={fresh}
      problem={form.at === 'old' ? '' : form.problem}
    />
    <p class="muted">
      At least 12 characters; four words that do not belong together are good. All other browsers are signed out.
    </p>
    <Button look="main" disabled={form.busy || !old || !fresh}>{form.busy ? 'Changing' : 'Change the password'}</Button>
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
