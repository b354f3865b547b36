<!-- Sign-off: the client decides of the version that is looked at; the studio asks for it and sees who decided what. -->
<script lang="ts">
  import { api, need, words, type RoomData } from '$api/client';
  import { verdicts } from '$api/kinds';
  import { clock } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Whole from '$lib/ui/Number.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import type { Seat } from './seat';

  interface Props {
    open: boolean;
    seat: Seat;
    room: RoomData;
    changed: () => void;
  }
  let { open = $bindable(false), seat, room, changed }: Props = $props();

  let line = $state('');
  let problem = $state('');
  let busy = $state(false);
  let due = $state('');
  let message = $state('');
  let asked = $state<Record<string, boolean>>({});
  let people = $state.raw<{ id: string; name: string; may: boolean }[]>([]);

  const own = $derived(room.decided.find((d) => d.mine && d.version === room.item.version));
  const mayDecide = $derived(!room.studio && room.rights.includes('sign_off'));
  const newest = $derived(room.versions.find((v) => v.now)?.id === room.item.version);

  // Whom a round can ask: those who may sign off.
  $effect(() => {
    if (!open || !room.studio) return;
    void need(api.GET('/api/v1/packages/{id}', { params: { path: { id: room.package } } })).then(
      (p) => {
        const named = p.recipients.filter((r) => !r.anyone);
        const all = named.map((r) => ({ id: r.id, name: r.name, may: r.rights?.includes('sign_off') ?? false }));
        asked = Object.fromEntries(all.map((one) => [one.id, one.may]));
        people = all;
      },
      (thrown: unknown) => (problem = words(thrown)),
    );
  });

  async function attempt(work: () => Promise<unknown>) {
    busy = true;
    problem = '';
    try {
      await work();
      open = false;
      line = message = due = '';
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
    changed();
  }
  const decide = (verdict: (typeof verdicts)[number]['name']) =>
    attempt(() =>
      need(
        api.POST('/api/v1/r/{link}/items/{item}/verdict', {
          params: { path: { link: seat.link, item: room.item.id } },
          body: { version: room.item.version, verdict, line },
        }),
      ),
    );
  const begin = () =>
    attempt(() =>
      need(
        api.POST('/api/v1/packages/{id}/rounds', {
          params: { path: { id: room.package } },
          body: {
            lines: people.filter((p) => asked[p.id]).map((p) => p.id),
            message,
            ...(due ? { due: new Date(`${due}T18:00`).toISOString() } : {}),
          },
        }),
      ),
    );
  const close = () =>
    attempt(() => need(api.DELETE('/api/v1/packages/{id}/rounds', { params: { path: { id: room.package } } })));
  async function agree(agreed: number) {
    const id = room.round?.project ?? '';
    try {
      await need(api.PUT('/api/v1/places/{id}/rounds', { params: { path: { id } }, body: { agreed } }));
    } catch (thrown) {
      problem = words(thrown);
    }
    changed();
  }
  const word = (v: string) => verdicts.find((one) => one.name === v)?.word ?? v;
</script>

<Dialog bind:open title={room.studio ? 'Sign-off' : `Your word on version ${room.item.number}`} size="small">
  <div class="decide">
    {#if room.round}
      <p>
        <strong>{room.round.name}</strong>{room.round.due ? `, ${room.round.due}` : ''}: {room.round.says}.
      </p>
      {#if room.round.message}<p class="muted">“{room.round.message}”</p>{/if}
    {/if}
    {#if mayDecide}
      {#if !newest}<p class="late">There is a newer version; that is the one to decide on.</p>
      {:else}
        {#if own}<p>You said: <strong>{word(own.verdict)}</strong>, {briefly(new Date(own.at), clock.now)}.</p>{/if}
        <Area label="A line with it" bind:value={line} rows={2} maxlength={1000} placeholder="May stay empty" />
        <p class="acts">
          <Button look="main" disabled={busy} onclick={() => void decide('signed_off')}>Signed off</Button>
          <Button disabled={busy} onclick={() => void decide('changes_wanted')}>Changes wanted</Button>
        </p>
        <p class="hint">
          It is kept with your name, the time and the checksum of this very version. You can decide again.
        </p>
      {/if}
    {/if}
    {#if room.studio}
      {#if room.round?.project}
        <Whole
          label="Rounds agreed for the project; 0 for no number"
          value={room.round.agreed}
          min={0}
          max={99}
          set={agree}
        />
      {/if}
      {#if room.round}<p>
          <Button look="link" disabled={busy} onclick={() => void close()}>Close this round</Button>
        </p>{/if}
      <h3>{room.round ? 'Begin the next round' : 'Ask for sign-off'}</h3>
      {#each people as one (one.id)}
        <Tick bind:checked={asked[one.id]} disabled={!one.may}
          >{one.name}{one.may ? '' : ', may not sign off (waybill)'}</Tick
        >
      {:else}<p class="muted">Nobody is on the waybill by name.</p>{/each}
      <Field label="Due, at six in the evening" type="date" bind:value={due} />
      <Area label="A line with it" bind:value={message} rows={2} maxlength={1000} />
      <p class="acts">
        <Button look="main" disabled={busy} onclick={() => void begin()}>Begin the round</Button>
      </p>
      <p class="hint">Whoever is asked gets a letter. The versions are those of now; a new version asks anew.</p>
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if room.decided.length}
      <ol aria-label="What was decided">
        {#each room.decided as d (d.at + d.who)}
          <li>
            <strong>{d.mine ? 'You' : d.name}</strong>
            <span class={d.verdict}>{word(d.verdict)}</span> version {d.number},
            <time datetime={d.at} title={inFull(new Date(d.at))}>{briefly(new Date(d.at), clock.now)}</time>
            {#if d.line}<br />“{d.line}”{/if}
          </li>
        {/each}
      </ol>
    {/if}
  </div>
</Dialog>

<style>
  .decide {
    display: flex;
    flex-direction: column;
    gap: var(--s-4);
  }
  .acts {
    display: flex;
    gap: var(--s-4);
  }
  h3 {
    font-size: var(--t-lead);
  }
  ol {
    list-style: none;
    margin: 0;
    padding: var(--s-4) 0 0;
    border-top: 1px solid var(--line);
  }
  li {
    padding: var(--s-2) 0;
  }
  .signed_off {
    color: var(--main);
  }
  .changes_wanted,
  .late {
    color: var(--late);
  }
</style>
