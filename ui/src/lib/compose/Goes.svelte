<!-- How a draft goes: now, with a few seconds to take that back; at an hour; by a teammate; and by itself once
     everything is in it. -->
<script lang="ts">
  import { api, need, words, type Package, type Schemas } from '$api/client';
  import { uploads } from '$lib/uploads.svelte';
  import { untilWhen, zone } from '$lib/time';
  import { session } from '$lib/session.svelte';
  import { undo } from '$lib/undo.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import Moment from '$lib/ui/Moment.svelte';

  interface Props {
    parcel: Package;
    coming: number;
    /** something speaks against it that has to be mended first */
    held: boolean;
    before: () => Promise<void>;
  }
  let { parcel = $bindable(), coming, held, before }: Props = $props();
  /** Seconds in which it can be taken back. */
  const grace = 10;
  let busy = $state(false);
  let problem = $state('');
  let now = $state(Date.now());
  let later = $state(false);
  let at = $state({ local: '', zone });

  const path = $derived({ params: { path: { id: parcel.id } } });
  const going = $derived(parcel.going_at ? new Date(parcel.going_at) : null);
  const seconds = $derived(going ? Math.ceil((going.getTime() - now) / 1000) : 0);
  const waitsFor = $derived(Math.max(coming, parcel.uploads.length));
  const adrift = $derived(Boolean(going) && parcel.going_waits && !uploads.unbegun(parcel.id));

  // The seconds are counted while they can be taken back; an hour is not.
  $effect(() => {
    if (!going) return;
    now = Date.now();
    const timer = setInterval(() => (now = Date.now()), 250);
    return () => clearInterval(timer);
  });

  // The server sends it by itself; with the page open it goes to the second.
  let nudged = '';
  $effect(() => {
    if (!going || seconds > 0 || waitsFor || parcel.going_waits || nudged === parcel.going_at) return;
    nudged = parcel.going_at ?? '';
    void need(api.POST('/api/v1/packages/{id}/send', path)).then(
      (sent) => (parcel = sent),
      () => undefined, // it went already, or says by itself why it stays
    );
  });

  async function attempt(work: () => Promise<unknown>) {
    busy = true;
    try {
      await work();
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
  type When = { in: number } | { at: string };
  const set = (when: When, more = false) =>
    need(api.PUT('/api/v1/packages/{id}/going', { ...path, body: { ...when, more } }));
  async function goes(when: When) {
    await before();
    const more = uploads.unbegun(parcel.id);
    parcel = await set(when, more);
    const { id, going_at } = parcel;
    // Whatever screen is open by then: the server waits for what it knows of. What was taken back meanwhile stays.
    if (more && going_at)
      uploads.whenBegun(id, () => {
        void need(
          api.PUT('/api/v1/packages/{id}/going', { params: { path: { id } }, body: { announced: true } }),
        ).catch((thrown) => undo.did(words(thrown))); // it stays a draft, and says so
      });
  }
  const send = () => {
    if (busy || held || going) return; // the Sentence says why
    void attempt(() => goes({ in: grace }));
  };
  const wait = () =>
    attempt(async () => {
      parcel = await need(api.DELETE('/api/v1/packages/{id}/going', path));
    });
  const withoutThem = () => attempt(async () => (parcel = await set({ in: grace })));

  function choose() {
    problem = '';
    at = { local: '', zone: parcel.end_rule.zone || zone };
    void attempt(async () => {
      const tomorrow = await moment('tomorrow 9:00', at.zone, '09:00');
      at = { ...at, local: tomorrow.local };
      later = true;
    });
  }
  const moment = (text: string, where: string, usual: string) =>
    need(api.GET('/api/v1/moments', { params: { query: { text, zone: where, usual } } }));
  const settle = () =>
    attempt(async () => {
      const { at: instant } = await moment(at.local, at.zone, '09:00');
      await goes({ at: instant });
      later = false;
    });

  let team = $state<Schemas['ColleagueView'][]>([]);
  $effect(() => {
    void need(api.GET('/api/v1/studio')).then(
      (s) => (team = s.members.filter((m) => m.id !== session.member?.id)),
      () => undefined, // nobody to hand it to is offered
    );
  });
  const hand = (to: Schemas['ColleagueView']) =>
    attempt(async () => {
      parcel = await need(api.POST('/api/v1/packages/{id}/hand', { ...path, body: { member: to.id } }));
      const back = session.member?.id;
      undo.did(
        `Handed to ${to.name}. It stands on their Desk, and goes in their name.`,
        back
          ? async () =>
              (parcel = await need(api.POST('/api/v1/packages/{id}/hand', { ...path, body: { member: back } })))
          : null,
      );
    });

  function press(event: KeyboardEvent) {
    if ((event.metaKey || event.ctrlKey) && event.key === 'Enter') send();
    else if (event.key === 'Escape' && going && seconds > 0 && seconds <= grace) void wait();
  }
</script>

<svelte:window onkeydown={press} />

{#if parcel.going_problem && !going}
  <p class="late" role="status">It was to go by itself and did not: {parcel.going_problem}</p>
{/if}
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if parcel.sender && parcel.sender !== session.member?.name}
  <p class="muted sender">It goes in the name of {parcel.sender}.</p>
{/if}
{#if going}
  <div class="going" role="status">
    {#if adrift}
      <p>
        It waits for files that another browser was to bring, or that were let go of. Drop them here, or send it
        without.
      </p>
      <Button look="main" onclick={withoutThem} disabled={busy}>Send without them</Button>
      <Button onclick={wait} disabled={busy}>Keep it as a draft</Button>
    {:else if waitsFor}
      <p>
        <strong>Goes by itself</strong> once {waitsFor === 1 ? 'the last file is' : `${waitsFor} files are`} here{seconds >
        grace
          ? `, and not before ${untilWhen(going)}`
          : ''}.
        {parcel.going_waits ? 'Stay in Aftergust until all have begun.' : 'Close this page only when they are here.'}
      </p>
      <Button onclick={wait} disabled={busy}>Keep it as a draft</Button>
    {:else if seconds > grace}
      <p><strong>Goes {untilWhen(going)}</strong> on your clock, by itself.</p>
      <Button onclick={wait} disabled={busy}>Keep it as a draft</Button>
    {:else}
      <p>
        <strong>{seconds > 0 ? `Goes in ${seconds} s` : 'Goes now'}</strong>
        <span class="muted">{seconds > 0 ? 'Nobody has been written to yet.' : ''}</span>
      </p>
      <Button onclick={wait} disabled={busy}
        >Undo {#if seconds > 0}<kbd class="key">Esc</kbd>{/if}</Button
      >
    {/if}
  </div>
{:else}
  <div class="go">
    <Button look="main" onclick={send} disabled={held || busy}>
      {coming ? 'Send when the upload is done' : 'Send'}
      <kbd class="key">Ctrl ↵</kbd>
    </Button>
    <Button look="link" onclick={choose} disabled={held || busy}>At an hour…</Button>
    {#if team.length}
      <Menu
        name="By a teammate"
        look="link"
        side="top-start"
        acts={team.map((m) => ({ name: m.name, note: m.email, do: () => void hand(m) }))}
      />
    {/if}
    {#if parcel.recipients.length}
      <Button look="link" href="/packages/{parcel.id}/as">See it as they do</Button>
    {/if}
  </div>
{/if}

<Dialog bind:open={later} title="Send at an hour" size="small">
  <div class="ask">
    <p class="muted">
      It goes by itself then, also with this page closed. Until then it stays a draft that you can change.
    </p>
    <Moment
      label="When it goes"
      local={at.local}
      zone={at.zone}
      {words}
      read={moment}
      change={(local, zone) => (at = { local, zone })}
      clocks={parcel.recipients.flatMap((r) => (r.zone ? [{ who: r.name, zone: r.zone }] : []))}
    />
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main" onclick={settle} disabled={busy || !at.local}>Let it go then</Button>
  </div>
</Dialog>

<style>
  .go,
  .going {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-4) var(--s-8);
    margin-top: var(--s-7);
  }
  .going p {
    flex: 1 1 240px;
  }
  .going strong {
    font-family: var(--font-display);
    font-weight: 650;
    font-size: var(--t-lead);
    font-variant-numeric: tabular-nums;
    margin-right: var(--s-3);
  }
  .sender {
    margin-top: var(--s-4);
  }
  .ask {
    display: grid;
    justify-items: start;
    gap: var(--s-6);
  }
</style>
