<!-- How often the studio is written to about what: for all projects, and for those that want more or less. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { cadences } from '$api/kinds';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  type Cadence = Schemas['ChoiceView']['cadence'];
  const choices = new Resource(() => need(api.GET('/api/v1/notices/choices')));
  void choices.load();
  let problem = $state('');
  let open = $state(false);
  let project = $state({ id: '', name: '' });
  let client = $state('');
  const clients = new Resource(() => need(api.GET('/api/v1/places', {})));
  const projects = new Resource(() => need(api.GET('/api/v1/places', { params: { query: { parent: client } } })));

  const options = cadences.map((c) => ({ value: c.name, name: c.word }));
  const word = (name: string) => cadences.find((c) => c.name === name)?.word ?? '';
  const theirs = $derived(choices.value?.projects.find((p) => p.id === project.id)?.kinds ?? []);

  async function choose(kinds: Schemas['ChoiceView'][], of = '') {
    try {
      choices.value = await need(api.PUT('/api/v1/notices/choices', { body: { kinds, ...(of && { project: of }) } }));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  /** All kinds of a project at one time; an empty cadence is what holds for all. */
  const all = (cadence: Cadence) =>
    choose(
      (choices.value?.kinds ?? []).map(({ kind }) => ({ kind, cadence })),
      project.id,
    );

  function begin(of = { id: '', name: '' }) {
    project = of;
    client = '';
    problem = '';
    open = true;
    if (!of.id) void clients.load();
  }
</script>

<section aria-labelledby="letters">
  <h2 id="letters">Letters</h2>
  <p class="muted lead">About packages that you sent, and notes that are for you. A burst is always one letter.</p>
  <Wait of={choices} shape="rows">
    {#snippet children(chosen)}
      {#each chosen.kinds as k (k.kind)}
        <div class="kind">
          <span><strong>{k.word}</strong><span class="muted">{k.means}</span></span>
          <Select
            aria-label="Letters about: {k.word}"
            {options}
            value={k.cadence}
            pick={(to) => choose([{ kind: k.kind, cadence: to as Cadence }])}
          />
        </div>
      {/each}
      <h3>Projects that want more, or less</h3>
      {#each chosen.projects as p (p.id)}
        <div class="kind">
          <span
            ><strong>{p.name}</strong><span class="muted"
              >{p.kinds
                .map((c) => `${chosen.kinds.find((k) => k.kind === c.kind)?.word}: ${word(c.cadence).toLowerCase()}`)
                .join('; ')}</span
            ></span
          >
          <Button look="link" onclick={() => begin(p)} aria-label="Change what is told of {p.name}">Change</Button>
        </div>
      {:else}
        <p class="muted none">All are alike.</p>
      {/each}
      <Button look="quiet" onclick={() => begin()}>Choose for a project…</Button>
    {/snippet}
  </Wait>
  {#if problem && !open}<p class="problem" role="alert">{problem}</p>{/if}
</section>

<Dialog bind:open title={project.name || 'Choose for a project'} size="small">
  <div class="ask">
    {#if !project.id}
      <Wait of={clients} shape="rows">
        {#snippet children(all)}
          <Select
            label="Client"
            options={[{ value: '', name: 'Choose' }, ...all.map((c) => ({ value: c.id, name: c.name }))]}
            bind:value={client}
            pick={() => (projects.clear(), void projects.load())}
          />
        {/snippet}
      </Wait>
      {#if client}
        <Wait of={projects} shape="rows">
          {#snippet children(all)}
            <Select
              label="Project"
              options={[
                { value: '', name: all.length ? 'Choose' : 'This client has none yet' },
                ...all.map((p) => ({ value: p.id, name: p.name })),
              ]}
              pick={(id) => (project = { id, name: all.find((p) => p.id === id)?.name ?? '' })}
            />
          {/snippet}
        </Wait>
      {/if}
    {:else if choices.value}
      <div class="quick">
        <Button onclick={() => all('at_once')}>All at once</Button>
        <Button onclick={() => all('daily')}>All each morning</Button>
        <Button onclick={() => all('never')}>No letters</Button>
        <Button look="link" onclick={() => all('')}>As for all</Button>
      </div>
      {#each choices.value.kinds as k (k.kind)}
        <div class="kind">
          <span><strong>{k.word}</strong></span>
          <Select
            aria-label="Letters about {k.word} in {project.name}"
            options={[{ value: '', name: `As for all (${word(k.cadence).toLowerCase()})` }, ...options]}
            value={theirs.find((c) => c.kind === k.kind)?.cadence ?? ''}
            pick={(to) => choose([{ kind: k.kind, cadence: to as Cadence }], project.id)}
          />
        </div>
      {/each}
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  </div>
</Dialog>

<style>
  .lead {
    margin: var(--s-3) 0;
  }
  .kind {
    display: grid;
    grid-template-columns: minmax(0, 1fr) max-content;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
  }
  .kind strong,
  .kind .muted {
    display: block;
  }
  .kind strong {
    font-weight: 600;
  }
  .kind .muted {
    font-size: var(--t-small);
  }
  h3 {
    font-size: var(--t-base);
    margin: var(--s-8) 0 var(--s-2);
  }
  .none {
    padding: var(--s-2) 0 var(--s-4);
  }
  section > :global(.button) {
    margin-top: var(--s-5);
  }
  .ask {
    display: grid;
    gap: var(--s-4);
  }
  .quick {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
  }
</style>
