<!-- The contact book: who was sent something, by client, with groups; at the side whoever is chosen. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, words, type Schemas } from '$api/client';
  import { count } from '$lib/count';
  import AddPerson from '$lib/people/AddPerson.svelte';
  import Person from '$lib/people/Person.svelte';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  type Listed = Schemas['PersonView'];
  let text = $state('');
  let group = $state('');
  let client = $state('');
  let problem = $state('');

  const query = (after = '') => ({
    params: {
      query: {
        ...(text.trim() && { text: text.trim() }),
        ...(group && { group }),
        ...(client && { client }),
        ...(after && { after }),
      },
    },
  });
  const list = new Resource(() => need(api.GET('/api/v1/people', query())));
  const groups = new Resource(async () => (await need(api.GET('/api/v1/groups'))) ?? []);
  const clients = new Resource(async () =>
    ((await need(api.GET('/api/v1/places', {}))) ?? []).map(({ id, name }) => ({ id, name })),
  );
  void groups.load();
  void clients.load();
  let timer: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    void [text, group, client];
    clearTimeout(timer);
    timer = setTimeout(() => void list.load(), list.value ? 150 : 0);
  });
  async function more() {
    try {
      const next = await need(api.GET('/api/v1/people', query(list.value?.next)));
      list.value = { people: [...(list.value?.people ?? []), ...next.people], next: next.next };
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  const load = async () => void (await Promise.all([list.load(), groups.load()]));

  const chosen = $derived(page.url.searchParams.get('who') ?? '');
  const person = $derived(list.value?.people.find((p) => p.id === chosen));
  const choose = (id: string) => goto(id ? `?who=${id}` : '?', { keepFocus: true, noScroll: true, replaceState: true });

  /** By client, those of none last. */
  const byClient = $derived.by(() => {
    const out: Record<string, Listed[]> = {};
    for (const p of list.value?.people ?? []) (out[p.client_name] ??= []).push(p);
    return Object.entries(out).sort(([a], [b]) => Number(!a) - Number(!b) || a.localeCompare(b));
  });
  const narrowed = $derived(Boolean(text.trim() || group || client));
</script>

<svelte:head><title>People · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <h1>People</h1>
    <AddPerson added={(id) => (void load(), void choose(id))} />
  </div>
  <div class="narrow">
    <Field aria-label="Find by name or address" placeholder="A name or an address" type="search" bind:value={text} />
    <Select
      aria-label="Client"
      options={[
        { value: '', name: 'All clients' },
        ...(clients.value ?? []).map((c) => ({ value: c.id, name: c.name })),
      ]}
      bind:value={client}
    />
    <Select
      aria-label="Group"
      options={[
        { value: '', name: 'All groups' },
        ...(groups.value ?? []).map((g) => ({ value: g.id, name: `${g.name} (${g.people})` })),
      ]}
      bind:value={group}
    />
  </div>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <Wait of={list} shape="rows">
    {#snippet children(shown)}
      {#if shown.people.length}
        <div class="book" class:open={person}>
          <div class="list">
            {#each byClient as [name, people] (name)}
              <section aria-label={name || 'Of no client'}>
                <h2>{name || 'Of no client yet'}</h2>
                <ul>
                  {#each people as p (p.id)}
                    <li>
                      <button
                        aria-current={p.id === chosen ? 'true' : undefined}
                        onclick={() => choose(p.id === chosen ? '' : p.id)}
                      >
                        <strong>{p.name}</strong>
                        <span class="muted address">{p.email}</span>
                        <span class="muted zone">{p.zone.slice(p.zone.lastIndexOf('/') + 1).replaceAll('_', ' ')}</span>
                        <span class="figure muted">{p.packages ? count(p.packages, 'package') : ''}</span>
                        {#if p.bounced}<span class="late">did not arrive</span>{/if}
                      </button>
                    </li>
                  {/each}
                </ul>
              </section>
            {/each}
            {#if shown.next}<Button look="quiet" onclick={more}>More people</Button>{/if}
          </div>
          {#if person}
            {#key person.id}
              <Person
                {person}
                groups={groups.value ?? []}
                clients={clients.value ?? []}
                {load}
                leave={() => void choose('')}
              />
            {/key}
          {/if}
        </div>
      {:else if narrowed}
        <p class="none">Nobody in the book is called so here.</p>
      {:else}
        <div class="none">
          <p>
            Whoever you send something to is kept here: which client they belong to, where they are, and what they got
            last.
          </p>
        </div>
      {/if}
    {/snippet}
  </Wait>
</main>

<style>
  .narrow {
    display: grid;
    grid-template-columns: minmax(0, 2fr) minmax(0, 1fr) minmax(0, 1fr);
    gap: var(--s-5);
    margin-bottom: var(--s-8);
  }
  .book.open {
    display: grid;
    grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
    gap: var(--s-12);
    align-items: start;
  }
  section {
    margin-bottom: var(--s-9);
  }
  h2 {
    font-size: var(--t-lead);
    padding-bottom: var(--s-3);
    border-bottom: 1px solid var(--ink);
  }
  li {
    border-bottom: 1px solid var(--line);
  }
  li button {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.3fr) minmax(0, 0.6fr) auto;
    gap: var(--s-1) var(--s-6);
    align-items: baseline;
    width: 100%;
    min-height: 42px;
    text-align: left;
    padding: var(--s-3) 0;
  }
  .open li button {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .open .zone {
    display: none;
  }
  .open .address {
    grid-column: 1;
    grid-row: 2;
  }
  li button > * {
    overflow-wrap: anywhere;
  }
  li button:hover strong {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  li button[aria-current] {
    border-left: 3px solid var(--main);
    padding-left: var(--s-5);
  }
  li strong {
    font-weight: 600;
  }
  .none {
    padding: var(--s-9) 0;
    max-width: 60ch;
  }
  @media (--middle) {
    .book.open {
      grid-template-columns: minmax(0, 1fr);
    }
    .book.open :global(aside) {
      order: -1;
    }
  }
  @media (--narrow) {
    .narrow {
      grid-template-columns: minmax(0, 1fr);
    }
    li button {
      grid-template-columns: minmax(0, 1fr) auto;
    }
    .zone {
      display: none;
    }
    .address {
      grid-column: 1;
      grid-row: 2;
    }
  }
</style>
