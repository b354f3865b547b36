<script lang="ts">
  import '$lib/fonts.light';
  import { page } from '$app/state';
  import { api, need, Problem, words, type GuestPage, type Note } from '$api/client';
  import { live } from '$lib/live.svelte';
  import { upTo } from '$lib/pages';
  import { dress } from '$lib/recipient/dressed';
  import Inside from '$lib/recipient/Inside.svelte';
  import { further, itemsOf, present } from '$lib/recipient/inside';
  import Letterhead from '$lib/recipient/Letterhead.svelte';
  import Reach from '$lib/Reach.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import { zone } from '$lib/time';
  import { Turns } from '$lib/turns';
  import { untrack } from 'svelte';

  const link = $derived(page.params.link ?? '');
  const path = $derived({ params: { path: { link } } });
  let guest = $state<GuestPage>();
  let notes = $state<Note[]>([]);
  let unknown = $state('');
  let problem = $state('');
  let visited = false;
  const door = $derived(guest?.standing.startsWith('need_'));

  async function more() {
    if (guest) guest = await further(link, guest);
  }
  const turns = new Turns();
  async function look() {
    const latest = turns.take();
    try {
      if (!guest)
        await need(api.POST('/api/v1/r/{link}/visit', { ...path, body: { zone } })).then(() => (visited = true));
      const first = await need(api.GET('/api/v1/r/{link}', path));
      const all = {
        ...first,
        ...(await upTo(first, (all) => all.length >= (guest?.items.length ?? 0), itemsOf(link))),
      };
      if (!latest()) return;
      guest = all;
      if (!guest.standing && !visited) await need(api.POST('/api/v1/r/{link}/visit', { ...path, body: { zone } }));
      problem = '';
    } catch (thrown) {
      if (!latest()) return;
      if (thrown instanceof Problem && thrown.status === 404) unknown = thrown.message;
      else problem = words(thrown);
    }
  }
  const talk = new Turns();
  async function listen() {
    if (!guest || guest.standing || !guest.rights?.includes('see')) return;
    const latest = talk.take();
    try {
      const said = (await need(api.GET('/api/v1/r/{link}/notes', path))) ?? [];
      if (latest()) notes = said;
    } catch (thrown) {
      if (latest()) problem = words(thrown);
    }
  }
  async function load() {
    await look();
    await listen();
  }
  const of = {
    get value() {
      return guest;
    },
    get problem() {
      return problem;
    },
    load,
  };
  async function entered() {
    visited = false;
    await load();
  }
  $effect(() => {
    if (link) untrack(() => void load()); // what is loaded must not ask for loading again
  });
  const head = $derived(JSON.stringify(guest?.letterhead ?? null)); // the same again is no change
  $effect(() => dress(document.documentElement, JSON.parse(head) as GuestPage['letterhead']));
  const inside = $derived(Boolean(guest && !guest.standing));
  // Whoever stands outside is told nothing but that they stand there no longer.
  const known = $derived(Boolean(guest));
  const stream = $derived(known ? `/api/v1/r/${link}/${inside ? 'live' : 'outside'}` : '');
  live(
    () => stream,
    (change) => void (change.what === 'ledger' ? look() : load()), // while they take something each second
  );
  $effect(() => (inside ? present(link) : undefined));
  // Where they hear nothing, as behind a proxy that holds streams back, it looks from time to time.
  $effect(() => {
    if (inside || !guest || (door && !guest.asked)) return;
    const timer = setInterval(() => void load(), 20_000);
    return () => clearInterval(timer);
  });
</script>

<svelte:head><title>{guest?.title || guest?.studio || 'A package'}</title></svelte:head>
<Reach />

{#if guest && !guest.standing}<Letterhead studio={guest.studio} head={guest.letterhead} />{/if}
{#if guest?.preview}
  <p class="preview">
    You see this page as {guest.anyone ? 'anyone with the link' : guest.recipient} does. Nothing you do here is recorded.
  </p>
{/if}
{#if problem && !guest}
  {#await import('$lib/recipient/Failed.svelte') then { default: Failed }}<Failed say={problem} again={load} />{/await}
{:else if problem || (!guest && !unknown)}
  <div class="wait"><Wait {of} /></div>
{/if}
{#if unknown || (guest?.standing && !door)}
  {#await import('$lib/recipient/Shut.svelte') then { default: Shut }}
    {#if unknown}<Shut title="This link leads nowhere" say={unknown} />
    {:else if guest}<Shut title={guest.title} say={guest.say} {guest} {link} />{/if}
  {/await}
{:else if guest && door}
  {#await import('$lib/recipient/Door.svelte') then { default: Door }}<Door {guest} {link} {entered} />{/await}
{:else if guest}
  <Inside {guest} {notes} {link} reload={load} {more} />
  {#if guest.letterhead?.sign_off}<p class="sign">{guest.letterhead.sign_off}</p>{/if}
{/if}

<style>
  .sign {
    border-top: 1px solid var(--line);
    margin: 0 var(--page);
    padding: var(--s-6) 0 var(--s-9);
    color: var(--muted);
    font-size: var(--t-small);
  }
  .wait {
    padding: var(--s-5) var(--page);
    max-width: 720px;
  }
  .preview {
    background: var(--ink);
    color: var(--ground);
    padding: var(--s-2) var(--page);
    font-size: var(--t-small);
  }
</style>
