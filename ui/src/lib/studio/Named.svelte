<!-- What the studio is called, and on which clock it works. -->
<script lang="ts">
  import { api, need, Problem, words, type Schemas } from '$api/client';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Zones from '$lib/ui/Zones.svelte';

  let { studio, did }: { studio: Schemas['StudioView']; did: () => Promise<void> } = $props();
  const runs = $derived(session.member?.runs ?? false);
  // svelte-ignore state_referenced_locally (what is typed stays when the studio is loaded again)
  let name = $state(studio.name);
  // svelte-ignore state_referenced_locally
  let zone = $state(studio.zone);
  let problem = $state('');
  let at = $state('');
  let done = $state(false);
  const changed = $derived(name !== studio.name || zone !== studio.zone);

  async function rename(event: SubmitEvent) {
    event.preventDefault();
    try {
      await need(api.PATCH('/api/v1/studio', { body: { name, zone } }));
      problem = '';
      done = true;
      await Promise.all([did(), session.load()]);
    } catch (thrown) {
      problem = words(thrown);
      at = thrown instanceof Problem ? thrown.at : '';
    }
  }
</script>

<section aria-label="Name">
  <h2>Name</h2>
  {#if runs}
    <form onsubmit={rename} oninput={() => (done = false)}>
      <Field
        label="What the studio is called"
        hint="It stands on every letter and on every recipient page."
        required
        maxlength={80}
        bind:value={name}
        problem={at === 'zone' ? '' : problem}
      />
      <Zones label="Its clock" bind:value={zone} problem={at === 'zone' ? problem : ''} />
      <Button disabled={!changed || !name.trim()}>Keep</Button>
      {#if done && !changed}<p class="done" role="status">Kept.</p>{/if}
    </form>
  {:else}
    <dl>
      <dt>What the studio is called</dt>
      <dd>{studio.name}</dd>
      <dt>Its clock</dt>
      <dd>{studio.zone}</dd>
    </dl>
  {/if}
</section>

<style>
  form {
    display: grid;
    justify-items: start;
    gap: var(--s-2);
    max-width: 420px;
    padding-top: var(--s-5);
  }
  form :global(.field),
  form :global(.hint),
  form :global(.problem) {
    margin-bottom: var(--s-4);
  }
  dl {
    display: grid;
    grid-template-columns: max-content minmax(0, 1fr);
    gap: var(--s-3) var(--s-7);
    padding-top: var(--s-5);
  }
  dt {
    color: var(--muted);
  }
  .done {
    color: var(--main);
  }
</style>
