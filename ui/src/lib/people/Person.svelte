<!-- Somebody of the contact book: who they are, where, whose; their groups; what went to them last. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import LastTo from '$lib/compose/LastTo.svelte';
  import { session } from '$lib/session.svelte';
  import { undo } from '$lib/undo.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import Zones from '$lib/ui/Zones.svelte';

  interface Props {
    person: Schemas['PersonView'];
    groups: Schemas['GroupView'][];
    clients: { id: string; name: string }[];
    load: () => Promise<void>;
    leave: () => void;
  }
  let { person, groups, clients, load, leave }: Props = $props();
  // svelte-ignore state_referenced_locally (it is made anew for each person)
  let zone = $state(person.zone);
  let name = $state('');
  const attempts = new Attempt(() => load());
  const by = $derived({ params: { path: { id: person.id } } });
  type Edit = { name?: string; zone?: string; client?: string; groups?: string[] };
  const change = (body: Edit) => attempts.run(() => need(api.PATCH('/api/v1/people/{id}', { ...by, body })));

  const mine = $derived(person.groups ?? []);
  const join = (id: string, is: boolean) => change({ groups: is ? [...mine, id] : mine.filter((g) => g !== id) });
  async function found(event: SubmitEvent) {
    event.preventDefault();
    await attempts.run(async () => {
      const made = await need(api.POST('/api/v1/groups', { body: { name } }));
      await need(api.PATCH('/api/v1/people/{id}', { ...by, body: { groups: [...mine, made.id] } }));
      name = '';
    });
  }
  const drop = (id: string) =>
    attempts.run(() => need(api.DELETE('/api/v1/groups/{id}', { params: { path: { id } } })));

  let erasing = $state(false);
  async function erase() {
    const { name } = person;
    await attempts.run(() => need(api.POST('/api/v1/people/{id}/erase', by)));
    if (attempts.problem) return;
    erasing = false;
    leave();
    undo.did(`${name} is erased.`);
  }
  async function forget() {
    const { id, name } = person;
    await attempts.run(() => need(api.DELETE('/api/v1/people/{id}', { params: { path: { id } } })));
    if (attempts.problem) return;
    leave();
    undo.did(`${name} is out of the book. What they were sent stays with them.`, async () => {
      await need(api.POST('/api/v1/people/{id}/back', { params: { path: { id } } }));
      await load();
    });
  }
</script>

<aside aria-label={person.name}>
  <h2><Editable value={person.name} label="Name" placeholder="Name" save={(name) => change({ name })} /></h2>
  <p class="muted">{person.email}</p>
  {#if person.bounced}<p class="late">The last letter to them did not arrive: {person.bounced}.</p>{/if}
  {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}

  <div class="facts">
    <div>
      <Select
        label="Client"
        options={[{ value: '', name: 'None' }, ...clients.map((c) => ({ value: c.id, name: c.name }))]}
        value={person.client}
        pick={(client) => change({ client })}
      />
    </div>
    <form
      class="clock"
      onsubmit={(e) => {
        e.preventDefault();
        void change({ zone });
      }}
    >
      <div><Zones label="Time zone" bind:value={zone} /></div>
      {#if zone !== person.zone}<Button>Keep</Button>{/if}
    </form>
    <div>
      <span class="label">Seen to download at</span>
      <span class="figure">{person.rate || 'not known yet'}</span>
    </div>
  </div>

  <h3>Groups</h3>
  {#if groups.length}
    <ul class="groups">
      {#each groups as g (g.id)}
        <li>
          <Tick checked={mine.includes(g.id)} onchange={(e) => join(g.id, e.currentTarget.checked)}>{g.name}</Tick>
          <span class="muted figure">{g.people}</span>
          <Button look="link" onclick={() => drop(g.id)} aria-label="Delete the group {g.name}">Delete</Button>
        </li>
      {/each}
    </ul>
  {/if}
  <form class="found" onsubmit={found}>
    <Field aria-label="Name of a new group" placeholder="A new group" bind:value={name} maxlength={80} />
    <Button disabled={!name.trim()}>Make it</Button>
  </form>

  <h3>What went to them last</h3>
  <LastTo person={person.id} />
  <h3>What is kept of them</h3>
  <p class="muted">
    Name, address, clock, what they were sent, when they opened and took what, what they wrote, and how many devices
    they came on. They may ask to see it, and to have it erased.
  </p>
  <div class="kept">
    <Button href="/api/v1/people/{person.id}/file" download>Save all of it as a file</Button>
    {#if session.member?.runs}<Button look="wrong" onclick={() => (erasing = true)}>Erase…</Button>{/if}
  </div>
  <Button look="link" class="forget" onclick={forget}>Take {person.name} out of the book</Button>
</aside>

<Dialog bind:open={erasing} title="Erase {person.name}" size="small">
  <div class="ask">
    <p>
      Their name, address, clock, devices and letters go for good, and their links are dead at once, also for a download
      that runs. Notes that they wrote stay, without their name. What was taken stays counted, and the chain of events
      holds; nobody can tell any more that it was {person.name}.
    </p>
    {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
    <Button look="wrong" onclick={erase}>Erase for good</Button>
  </div>
</Dialog>

<style>
  .kept {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
    margin: var(--s-4) 0 var(--s-7);
  }
  .ask {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
  aside {
    background: var(--surface);
    border-top: 1px solid var(--ink);
    padding: var(--s-7);
    position: sticky;
    top: var(--s-7);
  }
  h2 :global(button) {
    font: 650 var(--t-large) / 1.25 var(--font-display);
    color: var(--ink);
  }
  h3 {
    font-size: var(--t-control);
    margin: var(--s-8) 0 var(--s-3);
  }
  .facts {
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    gap: var(--s-6);
    margin-top: var(--s-7);
  }
  .facts .label {
    display: block;
  }
  .groups li {
    display: flex;
    align-items: center;
    gap: var(--s-5);
    min-height: 34px;
  }
  .groups li > :global(:first-child) {
    flex: 1;
  }
  .clock,
  .found {
    display: flex;
    align-items: end;
    gap: var(--s-3);
  }
  .clock > :global(:first-child),
  .found > :global(:first-child) {
    flex: 1;
  }
  aside :global(.forget) {
    color: var(--wrong);
    margin-top: var(--s-8);
  }
</style>
