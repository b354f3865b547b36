<!-- Makes a client, project or folder, or a link, swatch or sheet, where one is. -->
<script lang="ts">
  import Modal from 'flowbite-svelte/Modal.svelte';
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

<Modal bind:open {title} size={kind === 'sheet' ? 'md' : 'sm'}>
  <form onsubmit={make}>
    <div>
      <label class="label" for="make-name">Name</label>
      <!-- svelte-ignore a11y_autofocus (the dialog opens to be typed into) -->
      <input id="make-name" class="field" bind:value={name} maxlength="120" autofocus />
    </div>
    {#if kind === 'link'}
      <div>
        <label class="label" for="make-value">Where it leads</label>
        <input id="make-value" class="field" bind:value placeholder="https://" />
      </div>
    {:else if kind === 'swatch'}
      <div>
        <label class="label" for="make-value">Colour</label>
        <span class="colour">
          <input id="make-value" class="field" bind:value placeholder="#35618E, rgb(), hsl() or oklch()" />
          <input type="color" aria-label="Choose by eye" bind:value />
        </span>
      </div>
    {:else if kind === 'sheet'}
      <div>
        <label class="label" for="make-value">Text, in Markdown; a line that begins with - [ ] is a thing to tick</label
        >
        <textarea id="make-value" class="field" rows="10" bind:value></textarea>
      </div>
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <button class="button main">Make it</button>
  </form>
</Modal>

<style>
  form {
    display: grid;
    gap: 14px;
    color: var(--ink);
    justify-items: start;
  }
  form > div {
    width: 100%;
  }
  .colour {
    display: flex;
    gap: 10px;
  }
  input[type='color'] {
    width: 52px;
    height: 42px;
    border: 1px solid var(--perforation);
    background: none;
  }
</style>
