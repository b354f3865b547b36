<!-- Notes on what is shown, and the line in which one is written. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type GuestItem, type Note } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { playable } from '$lib/formats';
  import type Player from '$lib/player/Player.svelte';

  let {
    item,
    notes,
    link,
    mayNote,
    player,
    reload,
  }: {
    item: GuestItem;
    notes: Note[];
    link: string;
    mayNote: boolean;
    player?: ReturnType<typeof Player>;
    reload: () => Promise<void>;
  } = $props();

  let box = $state<HTMLInputElement>();
  let text = $state('');
  let at = $state('');
  let answers = $state<Record<string, string>>({});

  const plays = $derived(playable(item));
  const mine = $derived(
    notes.filter((n) => n.item === item.id).sort((a, b) => (a.anchor.at_us ?? 0) - (b.anchor.at_us ?? 0)),
  );

  const open = $derived(mine.filter((n) => !n.done).length);
  /** folded to their count, so that they do not push what comes next out of sight */
  let unfolded = $state(false);

  export function focus() {
    box?.focus();
  }

  const attempts = new Attempt(() => reload());
  const attempt = attempts.run;
  function begin() {
    player?.pause();
    at = plays ? (player?.timecode() ?? '') : '';
  }
  function write(event: SubmitEvent) {
    event.preventDefault();
    if (!text.trim()) return;
    const anchor = plays ? { when: 'moment' as const, at_us: player?.place() ?? 0 } : {};
    void attempt(async () => {
      await need(
        api.POST('/api/v1/r/{link}/items/{id}/notes', {
          params: { path: { link, id: item.id } },
          body: { anchor, text },
        }),
      );
      unfolded = true;
      text = '';
      at = '';
    });
  }
  function answer(event: SubmitEvent, note: Note) {
    event.preventDefault();
    const body = { text: answers[note.id] ?? '' };
    if (!body.text.trim()) return;
    void attempt(async () => {
      await need(api.POST('/api/v1/r/{link}/notes/{id}/answers', { params: { path: { link, id: note.id } }, body }));
      answers[note.id] = '';
    });
  }
</script>

{#if mayNote}
  <form class="write" onsubmit={write}>
    {#if at}<span class="figure at">{at}</span>{/if}
    <Field
      bind:box
      aria-label={plays ? 'Note at this moment' : 'Note'}
      placeholder={plays ? 'Pause, and say what should change here' : 'Say what should change'}
      bind:value={text}
      onfocus={begin}
    />
    <Button disabled={!text.trim()}>Note</Button>
  </form>
{/if}
{#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
{#if mine.length}
  <button class="fold" aria-expanded={unfolded} aria-controls="notes-{item.id}" onclick={() => (unfolded = !unfolded)}
    >{count(mine.length, 'note')}{open ? `, ${open} open` : ', all done'}
    <svg width="11" height="7" viewBox="0 0 11 7" aria-hidden="true" class:turned={unfolded}
      ><path d="M1 1l4.5 4.5L10 1" fill="none" stroke="currentColor" stroke-width="1.6" /></svg
    ></button
  >
  <div id="notes-{item.id}">
    {#if unfolded}
      {#each mine as note (note.id)}
        <article class:done={note.done}>
          {#if note.place.label}<button class="figure at" onclick={() => player?.seekTo(note.anchor.at_us ?? 0)}
              >{note.place.label}</button
            >{/if}
          <div>
            <p>
              <strong>{note.mine ? 'You' : note.author}</strong>
              <span class="body">{note.says}</span>{#if note.done}<span class="tick"> done ✓</span>{/if}
            </p>
            {#each note.answers as a (a.id)}<p class="answer">
                <strong>{a.mine ? 'You' : a.author}</strong>
                {a.says}
              </p>{/each}
            {#if mayNote && (note.mine || note.answers?.length)}
              <form onsubmit={(e) => answer(e, note)}>
                <Field aria-label="Answer {note.author}" placeholder="Answer" bind:value={answers[note.id]} />
                {#if answers[note.id]?.trim()}<Button>Answer</Button>{/if}
              </form>
            {/if}
          </div>
        </article>
      {/each}
    {/if}
  </div>
{/if}

<style>
  .fold {
    display: inline-flex;
    align-items: center;
    gap: var(--s-3);
    min-height: 36px;
    color: var(--seen);
    font-weight: 600;
    font-size: var(--t-control);
  }
  .turned {
    rotate: 180deg;
  }
  .write {
    display: flex;
    gap: var(--s-3);
    align-items: center;
    padding: var(--s-4) 0;
  }
  .at {
    color: var(--seen);
    white-space: nowrap;
    font-size: var(--t-control);
  }
  button.at {
    justify-self: start;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  article {
    display: grid;
    grid-template-columns: 112px minmax(0, 1fr);
    gap: var(--s-5);
    padding: var(--s-3) 0;
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
    padding-left: var(--s-4);
    margin-top: var(--s-1);
  }
  article form {
    display: flex;
    gap: var(--s-3);
    margin-top: var(--s-2);
  }
  article :global(.field) {
    padding: var(--s-1) var(--s-4);
    border-color: var(--line);
    background: transparent;
  }
  @media (--middle) {
    article {
      grid-template-columns: 1fr;
      gap: var(--s-0);
    }
  }
</style>
