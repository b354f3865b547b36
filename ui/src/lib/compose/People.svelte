<!-- To whom it goes: people with their rights, one by one, and those to be put on next. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Zones from '$lib/ui/Zones.svelte';
  import { api, need, type Package, type Recipient } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import Rights from '$lib/ui/Rights.svelte';
  import AddPeople from './AddPeople.svelte';
  import LastTo from './LastTo.svelte';

  let { parcel, reload }: { parcel: Package; reload: () => Promise<void> } = $props();

  const attempts = new Attempt(() => reload());
  const attempt = attempts.run;
  const by = (id: string) => ({ params: { path: { id } } });

  const anyone = () =>
    attempt(() => need(api.POST('/api/v1/packages/{id}/recipients', { ...by(parcel.id), body: { rights: ['see'] } })));
  const change = (id: string, body: { rights?: Recipient['rights']; zone?: string; may_pass_on?: boolean }) =>
    attempt(() => need(api.PATCH('/api/v1/recipients/{id}', { ...by(id), body })));
  const remove = (id: string) => attempt(() => need(api.DELETE('/api/v1/recipients/{id}', by(id))));
  const defaults = (rights: string[]) =>
    attempt(() =>
      need(api.PATCH('/api/v1/packages/{id}', { ...by(parcel.id), body: { rights: rights as Recipient['rights'] } })),
    );

  /** whose clock is being set, and whose last packages are looked at */
  let clockOf = $state<Recipient>();
  let setting = $state(false);
  let zone = $state('');
  let lastOf = $state<Recipient>();
  let looking = $state(false);
  let wayTo = $state<Recipient>();
  let leading = $state(false);
  const acts = (r: Recipient) => [
    { name: 'Ways to them…', do: () => ((wayTo = r), (leading = true)) },
    {
      name: r.may_pass_on ? 'May not pass it on' : 'May pass it on',
      do: () => void change(r.id, { may_pass_on: !r.may_pass_on }),
    },
    ...(r.person
      ? [
          { name: 'Their clock…', do: () => ((clockOf = r), (zone = r.zone), (setting = true)) },
          { name: 'What went to them last', do: () => ((lastOf = r), (looking = true)) },
        ]
      : []),
  ];
  async function keepZone(event: SubmitEvent) {
    event.preventDefault();
    setting = false;
    if (clockOf) await change(clockOf.id, { zone });
  }
</script>

<h2>To</h2>
<ul>
  {#each parcel.recipients as r (r.id)}
    <li>
      <span class="who">
        <strong>{r.name}</strong>
        <span class="muted"
          >{r.anyone ? 'no mail address; copy the link after sending' : r.email}{r.guest
            ? ', in the guest book'
            : ''}</span
        >
        {#if !r.may_pass_on}<span class="muted">not to be passed on</span>{/if}
        {#if r.last}<span class="muted">last: {r.last}</span>{/if}
        {#if r.ends && r.zone !== parcel.end_rule.zone}<span class="figure muted">ends {r.ends}</span>{/if}
      </span>
      <span class="acts">
        <Rights
          rights={r.rights ?? []}
          who={r.name}
          change={(rights) => change(r.id, { rights: rights as Recipient['rights'] })}
        />
        <Menu name="More" label="More about {r.name}" look="link" side="bottom-end" acts={acts(r)} />
        <button class="remove" onclick={() => remove(r.id)} aria-label="Take off {r.name}">Take off</button>
      </span>
    </li>
  {/each}
</ul>
<AddPeople {parcel} {reload} />
{#if attempts.problem}<p class="wrong" role="alert">{attempts.problem}</p>{/if}
<div class="next">
  <span class="defaults"
    ><span class="muted">Whoever comes next may</span>
    <Rights rights={parcel.default_rights ?? []} who="Whoever comes next" change={defaults} /></span
  >
  {#if parcel.door !== 'named' && !parcel.recipients.some((r) => r.anyone)}
    <Button look="link" onclick={anyone}>Make a link for anyone, to look only</Button>
  {/if}
</div>

<Dialog bind:open={setting} title="The clock of {clockOf?.name}" size="small">
  <form class="ask" onsubmit={keepZone}>
    <p class="muted">
      The end is said on it, and reminders keep to its day. It is guessed from their browser once they have opened
      something.
    </p>
    <Zones label="Time zone" bind:value={zone} />
    <Button look="main">Keep</Button>
  </form>
</Dialog>
<Dialog bind:open={looking} title="What went to {lastOf?.name} last" size="middle">
  {#if lastOf}<LastTo person={lastOf.person} />{/if}
</Dialog>

<Dialog bind:open={leading} title="Ways to {wayTo?.name}" size="middle">
  {#if wayTo}
    {#await import('$lib/package/Ways.svelte') then { default: Ways }}<Ways line={wayTo.id} />{/await}
  {/if}
</Dialog>

<style>
  ul {
    clear: both; /* the presets stand beside the heading alone */
  }
  h2 {
    font-size: var(--t-lead);
  }
  li {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
  }
  .who {
    flex: 1;
    min-width: 0;
  }
  .who > * {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .who strong {
    font-weight: 600;
  }
  .who .muted {
    font-size: var(--t-small);
  }
  .acts {
    display: grid;
    grid-template-columns: auto auto;
    justify-content: end;
    align-items: center;
    justify-items: end;
    gap: 0 var(--s-5);
  }
  .acts > :global(:first-child) {
    grid-column: 1 / -1;
  }
  .acts :global(.link) {
    font-size: var(--t-small);
    font-weight: 500;
  }
  .next {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    align-items: center;
    gap: var(--s-3) var(--s-7);
  }
  .defaults {
    display: inline-flex;
    align-items: center;
    gap: var(--s-3);
    font-size: var(--t-small);
  }
  .remove {
    font-size: var(--t-small);
    color: var(--muted);
    text-decoration: underline;
    text-underline-offset: 3px;
    white-space: nowrap;
    min-height: 26px;
  }
  .remove:hover {
    color: var(--wrong);
  }
  .ask {
    display: grid;
    justify-items: start;
    gap: var(--s-6);
  }
  @media (--phone) {
    li {
      flex-wrap: wrap;
    }
    .who {
      flex-basis: 100%;
    }
  }
</style>
