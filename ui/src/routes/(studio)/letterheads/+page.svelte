<!-- How the studio shows itself: its letterheads, and the one that is being worked on beside what it looks like. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import Head from '$lib/letterheads/Head.svelte';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  type Letterhead = Schemas['LetterheadView'];
  const all = new Resource<Letterhead[]>(async () => (await need(api.GET('/api/v1/letterheads'))) ?? []);
  const clients = new Resource(async () =>
    ((await need(api.GET('/api/v1/places', {}))) ?? []).map(({ id, name }) => ({ id, name })),
  );
  void all.load();
  void clients.load();

  let chosen = $state('');
  const shown = $derived(all.value?.find((l) => l.id === chosen) ?? all.value?.[0]);
  let name = $state('');
  const form = new Form();
  async function make(event: SubmitEvent) {
    event.preventDefault();
    await form.send(async () => {
      chosen = (await need(api.POST('/api/v1/letterheads', { body: { name } }))).id;
      name = '';
      await all.load();
    });
  }
</script>

<svelte:head><title>Letterheads · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <div>
      <h1>Letterheads</h1>
      <p class="muted">In them people see your packages, and get your letters.</p>
    </div>
  </div>
  <Wait of={all} shape="page">
    {#snippet children(list)}
      <div class="choose">
        {#if list.length}
          <Choice
            label="Letterhead"
            options={list.map((l) => ({ value: l.id, name: l.standard ? `${l.name}, standard` : l.name }))}
            bind:value={() => shown?.id ?? '', (to) => (chosen = to)}
          />
        {/if}
        <form onsubmit={make}>
          <Field
            aria-label="Name of a new letterhead"
            placeholder={list.length ? 'Another one' : 'A name for the first, as Low Tide by day'}
            bind:value={name}
            problem={form.problem}
            maxlength={80}
          />
          <Button look={list.length ? 'plain' : 'main'} disabled={!name.trim() || form.busy}>Make it</Button>
        </form>
      </div>
      {#if shown}
        {#key shown.id}<Head letterhead={shown} clients={clients.value ?? []} load={all.load} />{/key}
      {:else}
        <p class="none">
          A logo, three colours, a picture over the page and a line at its end: set them once, and each package goes out
          in them. Colours that would be hard to read are corrected before your eyes.
        </p>
      {/if}
    {/snippet}
  </Wait>
</main>

<style>
  .choose {
    display: flex;
    flex-wrap: wrap;
    align-items: start;
    gap: var(--s-5) var(--s-8);
    margin-bottom: var(--s-8);
  }
  form {
    display: flex;
    gap: var(--s-3);
    flex: 0 1 360px;
  }
  form > :global(:first-child) {
    flex: 1;
  }
  .none {
    max-width: 60ch;
  }
</style>
