<!--
  The review screen: the picture as large as possible on neutral grey, the note
  at this frame large beside it, and below the score: the notes in lanes, one for
  each person, lying where they are in time.
-->
<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, type Note, type Package } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { formats, suffix, playable } from '$lib/formats';
  import Player from '$lib/player/Player.svelte';
  import { clock as now } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';
  import Paging from '$lib/ui/Paging.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import SwatchCard from '$lib/ui/SwatchCard.svelte';
  import { Ticks } from '$lib/package/ticks.svelte';
  import Score from './Score.svelte';

  let {
    parcel,
    notes,
    reload,
    more,
  }: { parcel: Package; notes: Note[]; reload: () => Promise<void>; more: () => Promise<void> } = $props();

  let player = $state<ReturnType<typeof Player>>();
  let picked = $state(page.url.searchParams.get('note') ?? '');
  let answer = $state('');
  let text = $state('');
  let box = $state<HTMLInputElement>();
  let sheet = $state(1);

  const item = $derived(
    parcel.items.find((i) => i.id === page.url.searchParams.get('item')) ??
      parcel.items.find((i) => i.made.includes('proxy')) ??
      parcel.items[0],
  );
  const things = $derived(formats(parcel.items, item?.id));
  /** the formats of what is shown, in the order of the package */
  const same = $derived.by(() => {
    const thing = things.find((t) => t.head.id === item?.id);
    return parcel.items.filter((i) => i === thing?.head || thing?.also.includes(i));
  });
  const mine = $derived(
    notes.filter((n) => n.item === item?.id).sort((a, b) => (a.anchor.at_us ?? 0) - (b.anchor.at_us ?? 0)),
  );
  const note = $derived(mine.find((n) => n.id === picked) ?? mine.find((n) => !n.done) ?? mine[0]);
  const plays = $derived(playable(item));
  const place = $derived(things.findIndex((t) => t.head.id === item?.id || t.also.some((a) => a.id === item?.id)));
  const to = (n: number) => void goto(`?item=${things[n]?.head.id}`);
  /** what the trade calls a place in it */
  const here = $derived(item?.what === 'sound' ? 'at this moment' : 'at this frame');

  function pick(chosen: Note | undefined) {
    if (!chosen) return;
    picked = chosen.id;
    player?.seekTo(chosen.anchor.at_us ?? 0);
  }
  // A link to a note takes the player to its frame once that is there.
  let sought = '';
  $effect(() => {
    const wanted = page.url.searchParams.get('note') ?? '';
    if (player && wanted && sought !== wanted && note?.id === wanted) {
      sought = wanted;
      const at = note.anchor.at_us ?? 0;
      const media = document.querySelector<HTMLMediaElement>('.picture video, .picture audio');
      if (media && media.readyState < 1)
        media.addEventListener('loadedmetadata', () => player?.seekTo(at), { once: true });
      else player.seekTo(at);
    }
  });

  const ticks = new Ticks(() => parcel);
  const attempts = new Attempt(() => reload());
  const attempt = attempts.run;
  function reply(event: SubmitEvent) {
    event.preventDefault();
    if (!answer.trim()) return void tick();
    const about = note;
    if (!about || !answer.trim()) return;
    void attempt(async () => {
      await need(
        api.POST('/api/v1/notes/{id}/answers', { params: { path: { id: about.id } }, body: { text: answer } }),
      );
      answer = '';
    });
  }
  const tick = () =>
    note &&
    attempt(() =>
      need(api.PUT('/api/v1/notes/{id}/done', { params: { path: { id: note.id } }, body: { done: !note.done } })),
    );
  function write(event: SubmitEvent) {
    event.preventDefault();
    if (!item || !text.trim()) return;
    const anchor = plays ? { when: 'moment' as const, at_us: player?.place() ?? 0 } : {};
    void attempt(async () => {
      const made = await need(
        api.POST('/api/v1/items/{id}/notes', { params: { path: { id: item.id } }, body: { anchor, text } }),
      );
      text = '';
      picked = made.id;
      box?.blur();
    });
  }

  const turn = (by: number) => pick(mine[(mine.findIndex((n) => n.id === note?.id) + by + mine.length) % mine.length]);
  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (event.key === 'Escape' && target.matches('input')) return target.blur();
    if (event.ctrlKey || event.metaKey || event.altKey || target.closest('input:not([type=range]), textarea')) return;
    const acts: Record<string, () => void> = {
      ' ': () => player?.toggle(),
      k: () => player?.toggle(),
      j: () => player?.shuttle(-1),
      l: () => player?.shuttle(1),
      ArrowLeft: () => (event.shiftKey ? player?.jump(-1) : player?.step(-1)),
      ArrowRight: () => (event.shiftKey ? player?.jump(1) : player?.step(1)),
      ArrowUp: () => turn(-1),
      ArrowDown: () => turn(1),
      m: () => (player?.pause(), box?.focus()),
      f: () => player?.fullscreen(),
      Escape: () => void goto(`/packages/${parcel.id}`),
    };
    const act = acts[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!act || (event.key === ' ' && target.matches('button, a'))) return;
    event.preventDefault();
    act();
  }
  const openHere = $derived(mine.filter((n) => !n.done).length);
</script>

<svelte:window onkeydown={press} />

<header>
  <a href="/packages/{parcel.id}">‹ {parcel.title}</a>
  <h1 class="visually-hidden">{item?.name}</h1>
  <nav aria-label="Pieces">
    <Button look="quiet" aria-label="Piece before" disabled={place < 1} onclick={() => to(place - 1)}>←</Button>
    <Select
      aria-label="Piece"
      value={things[place]?.head.id ?? ''}
      pick={(id) => void goto(`?item=${id}`)}
      options={things.map(({ head }, n) => ({ value: head.id, name: `${n + 1}. ${head.name}` }))}
    />
    <Button look="quiet" aria-label="Next piece" disabled={place >= things.length - 1} onclick={() => to(place + 1)}
      >→</Button
    >
    <span class="figure muted">{place + 1} of {parcel.count}</span>
    {#if parcel.next}<Button look="link" onclick={more}>{parcel.count - parcel.items.length} more</Button>{/if}
  </nav>
  {#if same.length > 1}
    <nav class="formats" aria-label="Formats">
      {#each same as other (other.id)}
        <a href="?item={other.id}" aria-current={other.id === item?.id ? 'true' : undefined} title={other.name}
          >{suffix(other)}</a
        >
      {/each}
    </nav>
  {/if}
</header>

<main>
  {#if item}
    <div class="stage">
      <section class="picture" aria-label="The piece">
        {#key item.id}
          {#if plays && item.made.includes('proxy')}<Player bind:this={player} {item} tall />
          {:else if plays && item.media_state !== 'failed'}<p class="hint">
              The proxy is in work. It plays here in a moment.
            </p>
          {:else if item.media_state === 'failed'}<p class="hint">
              No preview could be made: {item.media_error}. The original is whole.
            </p>
          {:else if item.pages}
            <img src="{item.look}page-{sheet}" alt="{item.name}{item.pages > 1 ? `, page ${sheet}` : ''}" />
            {#if item.pages > 1}<p class="turn">
                <Paging at={sheet} of={item.pages} what="Pages" turn={(to) => (sheet = to)} />
              </p>{/if}
          {:else if item.swatch}
            <div class="paper"><SwatchCard swatch={item.swatch} name={item.title} /></div>
          {:else if item.what === 'sheet'}
            <div class="paper"><Sheet html={item.html} name={item.title} ticked={ticks.by(item)} /></div>
          {:else if item.what === 'link'}
            <a class="leads" href={item.data.url} target="_blank" rel="noopener noreferrer">
              {#if item.made.includes('poster')}<img src="{item.look}poster" alt="" />{/if}
              <span class="figure">{item.data.url} ↗</span>
            </a>
          {:else if item.made.includes('poster')}<img src="{item.look}poster" alt={item.name} />
          {:else}<p class="hint">There is no preview of this kind of file yet.</p>{/if}
        {/key}
      </section>
      <section class="note" aria-label="The note here">
        <div class="which">
          <span class="muted">{mine.length ? `${openHere} of ${mine.length} open` : 'No notes yet'}</span>
          {#if mine.length > 1}
            <span
              ><button onclick={() => turn(-1)} aria-label="Note before">↑</button><button
                onclick={() => turn(1)}
                aria-label="Note after">↓</button
              ></span
            >
          {/if}
        </div>
        {#if note}
          <p>
            <strong>{note.author}</strong>
            <time class="muted" datetime={note.at} title={inFull(new Date(note.at))}
              >{briefly(new Date(note.at), now.now)}</time
            >
          </p>
          <button class="figure at" onclick={() => pick(note)}>{note.place.label}</button>
          <h2 class:done={note.done}>{note.body}</h2>
          {#each note.answers as a (a.id)}<p class="answer"><strong>{a.author}</strong><br />{a.body}</p>{/each}
          <form onsubmit={reply}>
            <Field aria-label="Answer" placeholder="Answer" bind:value={answer} />
            <Button look="main">{answer.trim() ? 'Answer' : note.done ? 'Open again' : 'Done'}</Button>
          </form>
        {:else}
          <p class="hint">
            {plays ? 'Pause where something should change, and write it below.' : 'Write below what should change.'}
          </p>
        {/if}
        {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
      </section>
    </div>
    <form class="write" onsubmit={write}>
      <Field
        bind:box
        aria-label={plays ? `Note ${here}` : 'Note'}
        placeholder="What should change{plays ? ` ${here}` : ''}"
        bind:value={text}
        onfocus={() => player?.pause()}
      />
      <Button look="main">Note <kbd class="key">M</kbd></Button>
    </form>
    {#if plays}<Score {item} notes={mine} picked={note?.id ?? ''} {pick} />{/if}
  {/if}
</main>

<style>
  header {
    display: flex;
    align-items: center;
    gap: var(--s-8);
    min-height: 48px;
    padding: 0 var(--s-8);
    border-bottom: 1px solid var(--line);
  }
  header > a {
    color: var(--muted);
    white-space: nowrap;
  }
  header > a:hover {
    color: var(--ink);
  }
  nav {
    display: flex;
    align-items: center;
    gap: var(--s-3);
    margin-left: auto;
    min-width: 0;
  }
  nav :global(.select) {
    width: min(320px, 40vw);
  }
  nav :global(:is(.field, .button)) {
    min-height: 32px;
    padding-block: var(--s-0);
  }
  nav .figure {
    white-space: nowrap;
  }
  .formats {
    flex: none;
    margin: 0;
  }
  nav a[aria-current] {
    background: var(--ink);
    color: var(--ground);
  }
  main {
    display: grid;
    grid-template-rows: minmax(0, 1fr) auto auto;
    height: calc(100dvh - 49px);
    min-height: 460px;
    padding: var(--s-6) var(--s-8) var(--s-7);
  }
  .stage {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(270px, 340px);
    gap: var(--s-9);
    min-height: 0;
  }
  .picture {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  .picture :global(.player) {
    display: flex;
    flex-direction: column;
    flex: 1;
    min-height: 0;
  }
  .picture :global(.player video) {
    flex: 1;
    min-height: 0;
    width: 100%;
    max-height: none;
    object-fit: contain;
  }
  .picture :global(.player .wave) {
    flex: 1;
    height: auto;
    min-height: 120px;
  }
  .picture img {
    flex: 1;
    min-height: 0;
    max-width: 100%;
    margin: 0 auto;
    object-fit: contain;
  }
  .leads {
    display: flex;
    flex-direction: column;
    gap: var(--s-5);
    flex: 1;
    min-height: 0;
    color: var(--main);
    overflow-wrap: anywhere;
  }
  .paper {
    overflow: auto;
    flex: 1;
  }
  .turn {
    padding-top: var(--s-4);
    text-align: center;
  }
  .note {
    overflow: auto;
    min-height: 0;
  }
  .which {
    display: flex;
    justify-content: space-between;
    border-bottom: 1px solid var(--line);
    padding-bottom: var(--s-3);
    margin-bottom: var(--s-6);
    font-size: var(--t-small);
  }
  .which button {
    padding: 0 var(--s-3);
    min-height: 24px;
  }
  .at {
    color: var(--late);
    text-decoration: underline;
    text-underline-offset: 3px;
    font-size: var(--t-base);
  }
  h2 {
    font-size: var(--t-large);
    line-height: 1.28;
    margin: var(--s-1) 0 var(--s-7);
    overflow-wrap: anywhere;
  }
  .done {
    text-decoration: line-through;
    color: var(--muted);
  }
  .answer {
    margin-bottom: var(--s-4);
  }
  form {
    display: flex;
    gap: var(--s-3);
    margin-top: var(--s-5);
  }
  .write {
    border: 1px solid var(--line);
    background: var(--surface);
    border-radius: var(--radius);
    padding: var(--s-2);
    margin-top: var(--s-6);
  }
  .write :global(.field) {
    border-color: transparent;
    background: none;
  }
  .write :global(.button) {
    background: var(--late);
    border-color: var(--late);
    color: var(--on-main);
  }
  .hint {
    color: var(--muted);
    padding: var(--s-11) 0;
  }
  @media (--middle) {
    main {
      height: auto;
      grid-template-rows: auto;
      align-content: start;
    }
    .stage {
      grid-template-columns: minmax(0, 1fr);
    }
    .picture :global(.player .wave) {
      height: 160px;
      flex: none;
    }
    .write :global(.key) {
      display: none;
    }
    header {
      flex-wrap: wrap;
      padding: var(--s-3) var(--s-7);
    }
    nav {
      width: 100%;
      margin: 0;
    }
    nav :global(.select) {
      flex: 1;
      width: auto;
    }
    main {
      padding: var(--s-5) var(--s-7);
    }
  }
</style>
