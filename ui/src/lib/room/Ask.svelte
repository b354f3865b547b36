<!-- Begins a round of a package: who is asked, until when, with which line. -->
<script lang="ts">
  import { api, need, words } from '$api/client';
  import { count } from '$lib/count';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import { untrack } from 'svelte';

  interface Props {
    /** the package */
    parcel: string;
    /** what can be chosen for it; without, or with one, it bundles everything */
    items?: { id: string; name: string }[];
    began: () => void;
  }
  let { parcel, items = [], began }: Props = $props();

  interface Person {
    id: string;
    name: string;
    may: boolean;
  }
  let people = $state.raw<Person[]>();
  let asked = $state<Record<string, boolean>>({});
  let which = $state('all');
  let chosen = $state<Record<string, boolean>>({});
  let due = $state('');
  let message = $state('');
  let problem = $state('');
  let busy = $state(false);
  const path = $derived({ params: { path: { id: parcel } } });

  // Whom a round can ask: those who may sign off.
  untrack(() => need(api.GET('/api/v1/packages/{id}', path))).then(
    (p) => {
      const named = p.recipients.filter((r) => !r.anyone);
      const all = named.map((r) => ({ id: r.id, name: r.name, may: r.rights?.includes('sign_off') ?? false }));
      asked = Object.fromEntries(all.map((one) => [one.id, one.may]));
      people = all;
    },
    (thrown: unknown) => (problem = words(thrown)),
  );

  async function begin() {
    busy = true;
    problem = '';
    try {
      const body = {
        lines: (people ?? []).filter((p) => asked[p.id]).map((p) => p.id),
        items: which === 'all' ? [] : items.filter((i) => chosen[i.id]).map((i) => i.id),
        message,
        ...(due ? { due: new Date(`${due}T18:00`).toISOString() } : {}),
      };
      if (which !== 'all' && !body.items.length) problem = 'Choose what is to be looked at.';
      else {
        await need(api.POST('/api/v1/packages/{id}/rounds', { ...path, body }));
        began();
      }
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
  }
</script>

<div class="ask">
  {#each people ?? [] as one (one.id)}
    <Tick bind:checked={asked[one.id]} disabled={!one.may}
      >{one.name}{one.may ? '' : ', may not sign off (waybill)'}</Tick
    >
  {:else}
    {#if people}<p class="muted">Nobody is on the waybill by name.</p>{/if}
  {/each}
  {#if items.length > 1}
    <Choice
      label="What is to be looked at"
      bind:value={which}
      options={[
        { value: 'all', name: `Everything, ${count(items.length, 'item')}` },
        { value: 'some', name: 'Only some' },
      ]}
    />
    {#if which === 'some'}
      <div class="some">
        {#each items as item (item.id)}
          <Tick bind:checked={() => chosen[item.id] ?? false, (to) => (chosen[item.id] = to)}>{item.name}</Tick>
        {/each}
      </div>
    {/if}
  {/if}
  <Field label="Due, at six in the evening" type="date" bind:value={due} />
  <Area label="A line with it" bind:value={message} rows={2} maxlength={1000} />
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <p><Button look="main" disabled={busy || !people} onclick={() => void begin()}>Begin the round</Button></p>
  <p class="hint">Whoever is asked gets a letter. The versions are those of now; a new version asks anew.</p>
</div>

<style>
  .ask {
    display: flex;
    flex-direction: column;
    gap: var(--s-4);
    align-items: stretch;
  }
  .some {
    display: flex;
    flex-direction: column;
    gap: var(--s-3);
    max-height: 30vh;
    overflow-y: auto;
    overflow-wrap: anywhere;
  }
</style>
