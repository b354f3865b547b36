<!-- The package as its recipient sees it: what, from whom, until when; one obvious button. -->
<script lang="ts">
  import type { GuestItem, GuestPage, Note } from '$api/client';
  import { formats, headed, playable } from '$lib/formats';
  import type Player from '$lib/player/Player.svelte';
  import More from '$lib/ui/More.svelte';
  import Letter from './Letter.svelte';
  import Line from './Line.svelte';
  import Look from './Look.svelte';
  import type Notes from './Notes.svelte';
  import { Taking } from './taking.svelte';

  let {
    guest,
    notes,
    link,
    reload,
    more,
  }: {
    guest: GuestPage;
    notes: Note[];
    link: string;
    reload: () => Promise<void>;
    more: () => Promise<void>;
  } = $props();

  const rights = $derived(guest.rights ?? []);
  const may = (verb: GuestPage['rights'][number]) => rights.includes(verb);
  let shownId = $state('');
  const shown = $derived(
    guest.items.find((i) => i.id === shownId) ??
      guest.items.find(
        (i) => (i.media_state !== 'none' && i.media_state !== 'failed') || i.html || i.swatch || i.data.url,
      ) ??
      guest.items[0],
  );
  const things = $derived(formats(guest.items, shown?.id));
  const thing = $derived(things.find((t) => t.head.id === shown?.id));
  const rest = $derived(things.filter((t) => t !== thing));
  const over = $derived(headed(guest.items, rest));
  const plays = $derived(playable(shown));

  const taking = new Taking();
  let player = $state<ReturnType<typeof Player>>();
  let remarks = $state<ReturnType<typeof Notes>>();
  let stage = $state<HTMLElement>();

  function show(item: GuestItem) {
    shownId = item.id;
    stage?.scrollIntoView({ block: 'nearest' });
  }

  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      target.closest('input:not([type=range]), textarea, button, a') ||
      !plays
    )
      return;
    const acts: Record<string, () => void> = {
      ' ': () => player?.toggle(),
      k: () => player?.toggle(),
      j: () => player?.jump(-2),
      l: () => player?.shuttle(1),
      ArrowLeft: () => (event.shiftKey ? player?.jump(-1) : player?.step(-1)),
      ArrowRight: () => (event.shiftKey ? player?.jump(1) : player?.step(1)),
      m: () => remarks?.focus(),
      f: () => player?.fullscreen(),
    };
    const act = acts[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act) return;
    event.preventDefault();
    act();
  }
</script>

<svelte:window onkeydown={press} />

<main>
  <Letter {guest} {link} {taking} note={() => remarks?.focus()} />

  <section class="things" aria-label="Items">
    {#if shown && thing}
      <div class="stage" bind:this={stage}>
        {#key shown.id}
          {#if may('see')}<Look item={shown} {link} mayTake={may('take')} asked={shownId !== ''} bind:player />{/if}
          {@render line(thing, true)}
          {#if may('see') && (plays || shown.pages)}
            <p class="into">
              <a href="/r/{link}/room?item={shown.id}"
                >{may('sign_off') ? 'Look at it large, note and sign off' : 'Look at it large'}</a
              >
            </p>
          {/if}
          {#if may('note') || notes.length}
            <div class:written={may('note')}>
              {#await import('./Notes.svelte') then { default: Notes }}
                <Notes bind:this={remarks} item={shown} {notes} {link} mayNote={may('note')} {player} {reload} />
              {/await}
            </div>
          {/if}
        {/key}
      </div>
    {/if}
    {#each rest as thing (thing.head.id)}
      {#if over.get(thing.head.id)}<h2>{over.get(thing.head.id)}</h2>{/if}
      {@render line(thing, false)}
    {/each}
    {#if guest.next}<More shown={guest.items.length} count={guest.count} {more} />{/if}
  </section>
</main>

{#snippet line(thing: ReturnType<typeof formats<GuestItem>>[number], large: boolean)}
  <Line
    {thing}
    {notes}
    {taking}
    {large}
    archive={guest.archive}
    archiveName={guest.archive_name}
    show={may('see') ? show : undefined}
  />
{/snippet}

<style>
  main {
    display: grid;
    grid-template-columns: minmax(0, 360px) minmax(0, 1fr);
    gap: var(--s-12);
    padding: var(--s-9) var(--page) var(--s-13);
    max-width: 1500px;
  }
  .into {
    padding: var(--s-3) 0;
  }
  .written {
    min-height: calc(44px + 2 * var(--s-4)); /* a line to write in, which comes a moment later */
  }
  .into a {
    color: var(--main);
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  h2 {
    font-size: var(--t-large);
    margin: var(--s-9) 0 var(--s-3);
  }
  @media (--middle) {
    main {
      grid-template-columns: minmax(0, 1fr);
      gap: var(--s-7);
      padding: var(--s-7) var(--s-7) var(--s-11);
    }
  }
</style>
