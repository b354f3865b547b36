<!-- The package as its recipient sees it: what, from whom, until when; one obvious button. -->
<script lang="ts">
  import { api, need, words, type GuestItem, type GuestPage, type Note } from '$api/client';
  import Player from '$lib/player/Player.svelte';
  import { clock } from '$lib/live.svelte';
  import { inFull, left, untilWhen, zone } from '$lib/time';
  import Thumb from '$lib/ui/Thumb.svelte';

  let { guest, notes, link, reload }: { guest: GuestPage; notes: Note[]; link: string; reload: () => Promise<void> } =
    $props();

  const rights = $derived(guest.rights ?? []);
  const may = (verb: 'see' | 'note' | 'take') => rights.includes(verb);
  const ends = $derived(guest.ends_at ? new Date(guest.ends_at) : null);
  let shownId = $state('');
  const shown = $derived(
    guest.items.find((i) => i.id === shownId) ??
      guest.items.find(
        (i) => (i.media_state !== 'none' && i.media_state !== 'failed') || i.html || i.swatch || i.data.url,
      ) ??
      guest.items[0],
  );
  const rest = $derived(guest.items.filter((i) => i.id !== shown?.id));

  let player = $state<ReturnType<typeof Player>>();
  let stage = $state<HTMLElement>();
  let box = $state<HTMLInputElement>();
  let sheet = $state(1);
  let text = $state('');
  let at = $state('');
  let problem = $state('');
  let began = $state('');
  let chosen = $state<string[]>([]);
  let choosing = $state(false);
  let answers = $state<Record<string, string>>({});

  const plays = $derived(shown?.kind === 'film' || shown?.kind === 'sound');
  const mine = $derived(
    notes.filter((n) => n.item === shown?.id).sort((a, b) => (a.anchor.at_us ?? 0) - (b.anchor.at_us ?? 0)),
  );
  const countOf = (item: GuestItem) => notes.filter((n) => n.item === item.id && !n.done).length;
  const some = $derived(guest.archive + '?only=' + chosen.join(','));

  function show(item: GuestItem) {
    shownId = item.id;
    sheet = 1;
    text = '';
    stage?.scrollIntoView({ block: 'nearest' });
    if (item.pages || item.kind === 'swatch' || item.kind === 'sheet' || item.text) looked(item);
  }
  const looked = (item: GuestItem) =>
    void api.POST('/api/v1/r/{link}/items/{item}/look', { params: { path: { link, item: item.id } } });
  const played = (item: GuestItem, ranges: { start: number; end: number }[]) =>
    void fetch(`/api/v1/r/${link}/items/${item.id}/played`, {
      method: 'POST',
      keepalive: true,
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ ranges }),
    });

  async function attempt(work: () => Promise<unknown>) {
    try {
      await work();
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
    await reload();
  }
  function begin() {
    player?.pause();
    at = plays ? (player?.timecode() ?? '') : '';
  }
  function write(event: SubmitEvent) {
    event.preventDefault();
    const item = shown;
    if (!item || !text.trim()) return;
    const anchor = plays ? { kind: 'moment' as const, at_us: player?.place() ?? 0 } : { kind: 'whole' as const };
    void attempt(async () => {
      await need(
        api.POST('/api/v1/r/{link}/items/{item}/notes', {
          params: { path: { link, item: item.id } },
          body: { anchor, text },
        }),
      );
      text = '';
      at = '';
    });
  }
  function answer(event: SubmitEvent, note: Note) {
    event.preventDefault();
    const body = { text: answers[note.id] ?? '' };
    if (!body.text.trim()) return;
    void attempt(async () => {
      await need(
        api.POST('/api/v1/r/{link}/notes/{note}/answers', { params: { path: { link, note: note.id } }, body }),
      );
      answers[note.id] = '';
    });
  }
  // A browser says nothing about a download it was given, so we say what it is called and where it usually lands.
  const took = (name: string) => (began = name);
  const toggle = (id: string) => (chosen = chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id]);

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
      m: () => box?.focus(),
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
  <section class="letter" aria-label="The package">
    <h1>{guest.title}</h1>
    <p class="muted">From {guest.sender}{guest.anyone ? '' : `, for you, ${guest.recipient}`}</p>
    {#if guest.cover_letter}<p class="cover">{guest.cover_letter}</p>{/if}
    {#if ends}
      <div class="until" class:late={guest.state === 'closing'}>
        <svg
          width="26"
          height="26"
          viewBox="0 0 24 24"
          fill="none"
          stroke="currentColor"
          stroke-width="2.2"
          aria-hidden="true"
        >
          <circle
            cx="12"
            cy="12"
            r="9"
            stroke-dasharray="{guest.state === 'closing' ? 50 : 35} 60"
            stroke-linecap="round"
            transform="rotate(18 12 12)"
          />
        </svg>
        <p>
          <strong
            ><time datetime={guest.ends_at} title={inFull(ends)}>Here until {untilWhen(ends, clock.now)}</time></strong
          ><br />
          <span>{left(ends, clock.now)} left, on your clock in {zone.split('/').at(-1)?.replace(/_/g, ' ')}</span>
        </p>
      </div>
    {/if}
    {#if may('take') && guest.archive}
      <a
        class="button main everything"
        href={guest.archive}
        download={guest.archive_name}
        onclick={() => took(guest.archive_name)}
      >
        <span>Download everything</span><span class="figure">{guest.weight}</span>
      </a>
      <p class="figure muted small">
        {#if began}Your browser saves it as {began}, usually in Downloads. If it breaks off, it goes on where it
          stopped.
        {:else}One ZIP, about {guest.estimate} at 50 Mbit/s.<br />If it breaks off, it goes on where it stopped.{/if}
      </p>
    {:else}
      <p class="muted small">
        You may {may('note') ? 'look and leave notes' : 'look'}; {guest.sender} has not opened it for download.
      </p>
    {/if}
    <p class="acts">
      {#if may('take') && guest.items.length > 1}<button
          class="link"
          onclick={() => ((choosing = !choosing), (chosen = []))}
          aria-pressed={choosing}>{choosing ? 'Choose none' : 'Choose some'}</button
        >{/if}
      {#if may('note') && shown}<button class="link" onclick={() => box?.focus()}>Leave a note</button>{/if}
    </p>
    {#if choosing && chosen.length}
      <a class="button everything" href={some} download={guest.archive_name} onclick={() => took(guest.archive_name)}>
        <span>Download {chosen.length === 1 ? 'this one' : `these ${chosen.length}`} as one ZIP</span>
      </a>
    {/if}
  </section>

  <section class="things" aria-label="Items">
    {#if shown}
      <div class="stage" bind:this={stage}>
        {#if may('see')}
          {#key shown.id}
            {#if plays && shown.proxy}
              <Player
                bind:this={player}
                item={shown}
                played={(ranges) => played(shown, ranges)}
                started={() => looked(shown)}
              />
            {:else if shown.kind === 'link' || shown.kind === 'swatch' || shown.kind === 'sheet' || shown.kind === 'archive' || shown.text}
              {#await import('./Thing.svelte') then { default: Thing }}
                <Thing item={shown} {link} followed={() => looked(shown)} />
              {/await}
            {:else if shown.pages}
              <img
                class="page"
                src="{shown.look}page-{sheet}"
                alt="{shown.name}{shown.pages > 1 ? `, page ${sheet}` : ''}"
              />
              {#if shown.pages > 1}
                <p class="turn">
                  <button class="button quiet" disabled={sheet < 2} onclick={() => sheet--}>Page before</button>
                  <span class="figure">{sheet} of {shown.pages}</span>
                  <button class="button quiet" disabled={sheet >= shown.pages} onclick={() => sheet++}>Next page</button
                  >
                </p>
              {/if}
            {:else if shown.media_state === 'waiting' || shown.media_state === 'working'}
              <p class="hint">The preview is in work. It shows here in a moment.</p>
            {:else}
              <p class="hint">
                There is no preview of this file{shown.media_state === 'failed' ? ', it could not be read here' : ''}. {may(
                  'take',
                )
                  ? 'The original is whole and can be downloaded.'
                  : ''}
              </p>
            {/if}
          {/key}
        {/if}
        {@render line(shown, true)}
        {#if may('note')}
          <form class="write" onsubmit={write}>
            {#if at}<span class="figure at">{at}</span>{/if}
            <input
              bind:this={box}
              class="field"
              aria-label={plays ? 'Note at this moment' : 'Note'}
              placeholder={plays ? 'Pause, and say what should change here' : 'Say what should change'}
              bind:value={text}
              onfocus={begin}
            />
            <button class="button" disabled={!text.trim()}>Note</button>
          </form>
        {/if}
        {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
        {#each mine as note (note.id)}
          <article class:done={note.done}>
            {#if note.place.label}<button class="figure at" onclick={() => player?.seekTo(note.anchor.at_us ?? 0)}
                >{note.place.label}</button
              >{/if}
            <div>
              <p>
                <strong>{note.mine ? 'You' : note.author}</strong>
                <span class="body">{note.body}</span>{#if note.done}<span class="tick"> done ✓</span>{/if}
              </p>
              {#each note.answers as a (a.id)}<p class="answer">
                  <strong>{a.mine ? 'You' : a.author}</strong>
                  {a.body}
                </p>{/each}
              {#if may('note') && (note.mine || note.answers?.length)}
                <form onsubmit={(e) => answer(e, note)}>
                  <input
                    class="field"
                    aria-label="Answer {note.author}"
                    placeholder="Answer"
                    bind:value={answers[note.id]}
                  />
                  {#if answers[note.id]?.trim()}<button class="button">Answer</button>{/if}
                </form>
              {/if}
            </div>
          </article>
        {/each}
      </div>
    {/if}
    {#each rest as item (item.id)}{@render line(item, false)}{/each}
  </section>
</main>

{#snippet line(item: GuestItem, large: boolean)}
  <div class="line" class:large>
    {#if choosing}<input
        type="checkbox"
        checked={chosen.includes(item.id)}
        onchange={() => toggle(item.id)}
        aria-label="Choose {item.name}"
      />{/if}
    {#if !large}
      <button class="pick" onclick={() => show(item)} aria-label="Show {item.name}" disabled={!may('see')}
        ><Thumb {item} /></button
      >
    {/if}
    <span class="name">
      {#if large}<strong>{item.title || item.name}</strong>{:else}<button
          class="open"
          onclick={() => show(item)}
          disabled={!may('see')}><strong>{item.title || item.name}</strong></button
        >{/if}
      <span class="muted"
        >{item.folder ? `${item.folder} · ` : ''}{item.about}{countOf(item)
          ? `, ${countOf(item)} open ${countOf(item) === 1 ? 'note' : 'notes'}`
          : ''}</span
      >
    </span>
    <span class="figure muted weight">{item.weight}</span>
    {#if item.take}
      {#if item.have === 'all'}
        <a class="have" href={item.take} download={item.name} onclick={() => took(item.name)} title="Download it again"
          >✓ you have it</a
        >
      {:else}
        {#if item.have === 'part'}<span class="part late">{item.have_saying}</span>{/if}
        <a
          class="button"
          href={item.take}
          download={item.name}
          onclick={() => took(item.name)}
          aria-label="Download {item.name}">Download</a
        >
      {/if}
    {/if}
  </div>
{/snippet}

<style>
  main {
    display: grid;
    grid-template-columns: minmax(0, 360px) minmax(0, 1fr);
    gap: 44px;
    padding: 28px var(--page) 60px;
    max-width: 1500px;
  }
  .cover {
    margin-top: 14px;
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
  .until {
    display: flex;
    gap: 12px;
    align-items: center;
    border-block: 1px solid var(--line);
    padding: 12px 0;
    margin: 18px 0;
    color: var(--main);
  }
  .until strong {
    font-weight: 600;
    color: var(--ink);
  }
  .until span {
    font-size: var(--t-small);
  }
  .late {
    color: var(--late);
  }
  .everything {
    width: 100%;
    justify-content: space-between;
    min-height: 48px;
    font-size: 17px;
    padding: 8px 18px;
  }
  .everything .figure {
    font-size: 17px;
  }
  .small {
    font-size: 12.5px;
    line-height: 1.5;
    margin-top: 8px;
    overflow-wrap: anywhere;
  }
  .acts {
    display: flex;
    gap: 22px;
    margin: 16px 0;
  }
  .page {
    width: 100%;
    max-height: 72vh;
    object-fit: contain;
    background: var(--empty);
    border-radius: var(--radius);
  }
  .turn {
    display: flex;
    justify-content: space-between;
    align-items: center;
    padding: 8px 0;
  }
  .hint {
    background: var(--empty);
    border-radius: var(--radius);
    color: var(--muted);
    padding: 56px 24px;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 14px;
    padding: 10px 0;
    border-bottom: 1px solid var(--line);
  }
  .name {
    flex: 1;
    min-width: 0;
  }
  .name > * {
    display: block;
    overflow-wrap: anywhere;
  }
  .name strong {
    font-weight: 600;
  }
  .name .muted {
    font-size: var(--t-small);
  }
  .open {
    text-align: left;
  }
  .open:hover:not(:disabled) {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .weight {
    white-space: nowrap;
  }
  .have {
    color: var(--main);
    font-size: 14.5px;
    white-space: nowrap;
  }
  .have:hover {
    text-decoration: underline;
  }
  .part {
    font-size: var(--t-small);
  }
  .write {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 10px 0;
  }
  .at {
    color: var(--seen);
    white-space: nowrap;
    font-size: 14.5px;
  }
  button.at {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  article {
    display: grid;
    grid-template-columns: 112px minmax(0, 1fr);
    gap: 12px;
    padding: 8px 0;
    border-bottom: 1px solid var(--line);
    align-items: start;
  }
  article > div:first-child {
    grid-column: 1 / -1;
  }
  .body {
    overflow-wrap: anywhere;
  }
  article.done .body {
    text-decoration: line-through;
    color: var(--muted);
  }
  .tick {
    color: var(--main);
    font-size: var(--t-small);
  }
  .answer {
    border-left: 2px solid var(--line);
    padding-left: 10px;
    margin-top: 4px;
  }
  article form {
    display: flex;
    gap: 8px;
    margin-top: 6px;
  }
  article .field {
    padding: 4px 10px;
    border-color: var(--line);
    background: transparent;
  }
  input[type='checkbox'] {
    width: 20px;
    height: 20px;
    accent-color: var(--main);
  }
  @media (max-width: 860px) {
    main {
      grid-template-columns: minmax(0, 1fr);
      gap: 18px;
      padding: 18px 16px 40px;
    }
    .line {
      flex-wrap: wrap;
      gap: 8px 12px;
    }
    .line.large .name {
      flex-basis: 100%;
    }
    .line .button,
    .line .have {
      margin-left: auto;
    }
    article {
      grid-template-columns: 1fr;
      gap: 2px;
    }
    .button {
      min-height: 40px;
    }
  }
</style>
