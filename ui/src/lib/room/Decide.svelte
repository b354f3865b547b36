<!-- Sign-off: the client decides of the version that is looked at, or of all that the round bundles; the studio asks for it and sees who decided what. -->
<script lang="ts">
  import { api, need, words, type RoomData } from '$api/client';
  import type { verdicts } from '$api/kinds';
  import { clock } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Agreed from './Agreed.svelte';
  import Ask from './Ask.svelte';
  import { word } from './decided';
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
  let over = $state('this');

  const own = $derived(room.decided.find((d) => d.mine && d.version === room.item.version));
  const mayDecide = $derived(!room.studio && room.rights.includes('sign_off'));
  const newest = $derived(room.versions.find((v) => v.now)?.id === room.item.version);
  /** what can be decided of at once: all that the round bundles and that is still as it was then */
  const bundle = $derived((room.round?.items ?? []).filter((i) => i.given));
  const whole = $derived(
    bundle.length > 1 && bundle.every((i) => i.now) && bundle.some((i) => i.id === room.item.id)
      ? room.round
      : undefined,
  );
  const all = $derived(over === 'all' ? whole : undefined);

  async function attempt(work: () => Promise<unknown>) {
    busy = true;
    problem = '';
    try {
      await work();
      shut();
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
    changed();
  }
  function shut() {
    open = false;
    line = '';
    over = 'this';
  }
  const decide = (verdict: (typeof verdicts)[number]['name']) =>
    attempt(() =>
      all
        ? need(
            api.POST('/api/v1/r/{link}/verdict', {
              params: { path: { link: seat.link } },
              body: { round: all.id, verdict, line },
            }),
          )
        : need(
            api.POST('/api/v1/r/{link}/items/{item}/verdict', {
              params: { path: { link: seat.link, item: room.item.id } },
              body: { version: room.item.version, verdict, line },
            }),
          ),
    );
  const close = () =>
    attempt(() => need(api.DELETE('/api/v1/packages/{id}/rounds', { params: { path: { id: room.package } } })));
</script>

<Dialog
  bind:open
  title={room.studio ? 'Sign-off' : all ? `Your word on ${all.name}` : `Your word on version ${room.item.number}`}
  size="small"
>
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
        {#if whole}
          <Choice
            label="What you decide on"
            bind:value={over}
            options={[
              { value: 'this', name: 'Only this' },
              { value: 'all', name: `All ${bundle.length} of the round` },
            ]}
          />
          {#if all}<ul class="bundle muted">
              {#each bundle as i (i.version)}<li>{i.name}, version {i.number}</li>{/each}
            </ul>{/if}
        {/if}
        <Area label="A line with it" bind:value={line} rows={2} maxlength={1000} placeholder="May stay empty" />
        <p class="acts">
          <Button look="main" disabled={busy} onclick={() => void decide('signed_off')}
            >{all ? `Sign all ${bundle.length} off` : 'Signed off'}</Button
          >
          <Button disabled={busy} onclick={() => void decide('changes_wanted')}>Changes wanted</Button>
        </p>
        <p class="hint">
          It is kept with your name, the time and the checksum of {all ? 'each version' : 'this very version'}. You can
          decide again.
        </p>
      {/if}
    {/if}
    {#if room.studio}
      {#if room.used?.project}
        <Agreed project={room.used.project} agreed={room.used.agreed} {changed} />
      {/if}
      {#if room.round}<p>
          <Button look="link" disabled={busy} onclick={() => void close()}>Close this round</Button>
        </p>{/if}
      <h3>{room.round ? 'Begin the next round' : 'Ask for sign-off'}</h3>
      {#key room.round?.id}<Ask parcel={room.package} began={() => (shut(), changed())} />{/key}
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if room.decided.length}
      <ol aria-label="What was decided">
        {#each room.decided as d, i (i)}
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
    flex-wrap: wrap;
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
  ol li {
    padding: var(--s-2) 0;
  }
  .bundle {
    max-height: 24vh;
    overflow-y: auto;
    overflow-wrap: anywhere;
    font-size: var(--t-small);
  }
  .signed_off {
    color: var(--main);
  }
  .changes_wanted,
  .late {
    color: var(--late);
  }
</style>
