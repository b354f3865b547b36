<!-- Where a program is told, and of what; its secret is shown once. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { notices } from '$api/kinds';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import Secret from './Secret.svelte';

  interface Props {
    open: boolean;
    /** the one that is changed; none: another is made */
    hook: Schemas['HookView'] | undefined;
    did: () => Promise<void>;
  }
  let { open = $bindable(), hook, did }: Props = $props();
  const kinds = notices.filter((k) => k.offered);

  let address = $state('');
  let chosen = $state<string[]>([]);
  let secret = $state('');
  let problem = $state('');
  let busy = $state(false);
  $effect(() => {
    if (!open) return;
    address = hook?.address ?? '';
    chosen = hook?.kinds ?? kinds.map((k) => k.name);
    secret = problem = '';
  });

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      if (hook) {
        const path = { id: hook.id };
        await need(api.PUT('/api/v1/hooks/{id}', { params: { path }, body: { address, kinds: chosen, on: hook.on } }));
        open = false;
      } else secret = (await need(api.POST('/api/v1/hooks', { body: { address, kinds: chosen } }))).secret;
      problem = '';
      await did();
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<Dialog bind:open title={secret ? 'Its secret' : hook ? 'Change the webhook' : 'Tell a program'} size="small">
  {#if secret}<Secret {secret} />
  {:else}
    <form onsubmit={keep}>
      <Field
        label="Address"
        placeholder="https://hooks.studio.example/aftergust"
        inputmode="url"
        maxlength={500}
        bind:value={address}
        {problem}
      />
      <fieldset>
        <legend>What it is told of</legend>
        {#each kinds as k (k.name)}
          <Tick
            checked={chosen.includes(k.name)}
            onchange={() =>
              (chosen = chosen.includes(k.name) ? chosen.filter((c) => c !== k.name) : [...chosen, k.name])}
            >{k.word}</Tick
          >
        {/each}
      </fieldset>
      <Button look="main" disabled={busy || !address.trim() || !chosen.length}>{hook ? 'Keep' : 'Begin'}</Button>
    </form>
  {/if}
</Dialog>

<style>
  form {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
  form > :global(*) {
    min-width: 0;
  }
  form :global(.field) {
    width: 100%;
  }
  fieldset {
    border: 0;
    padding: 0;
    margin: 0;
    width: 100%;
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--s-2) var(--s-6);
  }
  legend {
    font-weight: 600;
    margin-bottom: var(--s-2);
  }
</style>
