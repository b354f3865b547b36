<!-- Enters somebody in the contact book. -->
<script lang="ts">
  import { api, need } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';

  let { added }: { added: (id: string) => void } = $props();
  let open = $state(false);
  let address = $state('');
  let name = $state('');
  const form = new Form();

  async function add(event: SubmitEvent) {
    event.preventDefault();
    const went = await form.send(async () =>
      added((await need(api.POST('/api/v1/people', { body: { address, ...(name.trim() && { name }) } }))).id),
    );
    if (!went) return;
    open = false;
    address = name = '';
  }
</script>

<Button look="main" onclick={() => (open = true)}>Add somebody</Button>
<Dialog bind:open title="Add somebody" size="small">
  <form onsubmit={add}>
    <Field label="Mail address" bind:value={address} autocomplete="off" problem={form.says('address')} />
    <Field label="Name" bind:value={name} autocomplete="off" maxlength={120} />
    {#if form.problem && form.at !== 'address'}<p class="problem" role="alert">{form.problem}</p>{/if}
    <Button look="main" disabled={!address.trim() || form.busy}>Add</Button>
  </form>
</Dialog>

<style>
  form {
    display: grid;
    justify-items: start;
    gap: var(--s-6);
  }
</style>
