<!-- Who are you, again: before what somebody else at this desk could do harm with. -->
<script lang="ts">
  import { api, need, words } from '$api/client';
  import { proof } from '$lib/prove.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';

  let password = $state('');
  let problem = $state('');
  let busy = $state(false);
  $effect(() => {
    if (proof.asking) password = problem = '';
  });

  async function prove(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      await need(api.POST('/api/v1/account/proof', { body: { password } }));
      proof.answer(true);
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<Dialog
  bind:open={() => proof.asking, (open) => open || proof.answer(false)}
  title="Is it you?"
  size="small"
  left={() => proof.answer(false)}
>
  <form onsubmit={prove}>
    <p>Say your password, then it goes on. You are not asked again for ten minutes.</p>
    <Field
      label="Password"
      type="password"
      autocomplete="current-password"
      required
      autofocus
      bind:value={password}
      {problem}
    />
    <Button look="main" disabled={busy || !password}>{busy ? 'Looking' : 'Go on'}</Button>
  </form>
</Dialog>

<style>
  form {
    display: grid;
    justify-items: start;
    gap: var(--s-5);
  }
  form > :global(.field) {
    width: 100%;
  }
</style>
