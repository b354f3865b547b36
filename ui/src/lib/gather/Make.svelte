<!-- Makes a client, project or folder, or a link, swatch or sheet, where one is. -->
<script lang="ts">
  import Dialog from '$lib/ui/Dialog.svelte';
  import Area from '$lib/ui/Area.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words } from '$api/client';
  import { gather } from './gather.svelte';

  export type Kind = 'place' | 'link' | 'swatch' | 'sheet';
  let { open = $bindable(), kind }: { open: boolean; kind: Kind } = $props();

  let name = $state('');
  let value = $state('');
  let problem = $state('');
  const place = $derived(gather.here ? (gather.here.kind === 'client' ? 'project' : 'folder') : 'client');
  const title = $derived(`New ${kind === 'place' ? place : kind}`);

  $effect(() => {
    if (!open) return;
    name = '';
    problem = '';
    value = kind === 'sheet' ? 'What you have here, and what to do with it.\n\n- [ ] \n' : kind === 'swatch' ? '#' : '';
  });

  async function make(event: SubmitEvent) {
    event.preventDefault();
    try {
      if (kind === 'place') {
        const made = await need(
          api.POST('/api/v1/places', { body: { ...(gather.here && { parent: gather.here.id }), name } }),
        );
        await gather.load();
        gather.choose(made.id);
      } else {
        const data = { link: { url: value }, swatch: { colour: value }, sheet: { text: value } }[kind];
        const made = await need(
          api.POST('/api/v1/places/{id}/things', {
            params: { path: { id: gather.here!.id } },
            body: { kind, name: name || value, data },
          }),
        );
        await gather.load();
        gather.choose(made.id);
      }
      open = false;
    } catch (thrown) {
      problem = words(thrown);
    }
  }
</script>

<Dialog bind:open {title} size={kind === 'sheet' ? 'middle' : 'small'}>
  <form onsubmit={make}>
    <div>
      <Field id="make-name" label="Name" bind:value={name} maxlength={120} data-autofocus />
    </div>
    {#if kind === 'link'}
      <div>
        <Field id="make-value" label="Where it leads" bind:value placeholder="https://" />
      </div>
    {:else if kind === 'swatch'}
      <div>
        <label class="label" for="make-value">Colour</label>
        <span class="colour">
          <Field id="make-value" bind:value placeholder="#35618E, rgb(), hsl() or oklch()" />
          <Field type="color" aria-label="Choose by eye" bind:value />
        </span>
      </div>
    {:else if kind === 'sheet'}
      <div>
        <label class="label" for="make-value">Text, in Markdown; a line that begins with - [ ] is a thing to tick</label
        >
        <Area id="make-value" rows={10} bind:value />
      </div>
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main">Make it</Button>
  </form>
</Dialog>

<style>
  form {
    display: grid;
    gap: var(--s-6);
    color: var(--ink);
    justify-items: start;
  }
  form > div {
    width: 100%;
  }
  .colour {
    display: flex;
    gap: var(--s-4);
  }
  .colour :global(input[type='color']) {
    width: 52px;
    height: 42px;
    border: 1px solid var(--perforation);
    background: none;
  }
</style>
