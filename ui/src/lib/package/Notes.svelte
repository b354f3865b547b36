<!-- All notes as a plain list, each with its moment; a click takes the player there. -->
<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Badge from '$lib/ui/Badge.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type Note, type Package } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { clock } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';

  let { parcel, notes, reload }: { parcel: Package; notes: Note[]; reload: () => Promise<void> } = $props();
  let answers = $state<Record<string, string>>({});

  const name = (note: Note) => parcel.items.find((i) => i.id === note.item)?.name ?? 'an item that was withdrawn';
  /** Where a note lies, in words: its time, its page, and whether it is about a part of the picture. */
  function whereabouts({ anchor, place }: Note) {
    const parts = [
      place.label && (place.until_label ? `${place.label} to ${place.until_label}` : place.label),
      anchor.page && `page ${anchor.page}`,
      anchor.where === 'spot' && 'a spot',
      anchor.where === 'area' && 'an area',
    ].filter(Boolean);
    return parts.join(', ') || 'whole piece';
  }
  const sorted = $derived(
    [...notes].sort(
      (a, b) =>
        Number(a.done) - Number(b.done) ||
        name(a).localeCompare(name(b)) ||
        (a.anchor.at_us ?? 0) - (b.anchor.at_us ?? 0),
    ),
  );

  const attempts = new Attempt(() => reload());
  const attempt = attempts.run;
  const tick = (note: Note) =>
    attempt(() =>
      need(api.PUT('/api/v1/notes/{id}/done', { params: { path: { id: note.id } }, body: { done: !note.done } })),
    );
  function answer(event: SubmitEvent, note: Note) {
    event.preventDefault();
    const text = answers[note.id]?.trim();
    if (!text) return;
    void attempt(async () => {
      await need(api.POST('/api/v1/notes/{id}/answers', { params: { path: { id: note.id } }, body: { text } }));
      answers[note.id] = '';
    });
  }
</script>

{#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
{#each sorted as note (note.id)}
  <article class:done={note.done}>
    <div class="place">
      <a class="figure" href="/packages/{parcel.id}/room?item={note.item}&note={note.id}">{whereabouts(note)}</a>
      <span class="muted">{name(note)}</span>
    </div>
    <div class="words">
      <p>
        <strong>{note.author}</strong>
        {#if note.private}<Badge>only the studio</Badge>{/if}
        <time class="muted" datetime={note.at} title={inFull(new Date(note.at))}
          >{briefly(new Date(note.at), clock.now)}</time
        >
      </p>
      <p class="text">{note.says}</p>
      {#each note.answers as a (a.id)}
        <p class="answer">
          <strong>{a.author}</strong>
          {#if a.private}<Badge>only the studio</Badge>{/if}
          {a.says}
        </p>
      {/each}
      {#if !note.done}<form onsubmit={(e) => answer(e, note)}>
          <Field aria-label="Answer {note.author}" placeholder="Answer" bind:value={answers[note.id]} />
          {#if answers[note.id]?.trim()}<Button>Answer</Button>{/if}
        </form>{/if}
    </div>
    <Button look={note.done ? 'quiet' : 'plain'} aria-pressed={note.done} onclick={() => tick(note)}
      >{note.done ? 'Done ✓' : 'Done'}</Button
    >
  </article>
{:else}
  <p class="muted none">Nobody has left a note yet. Whoever may note can do so at the exact frame.</p>
{/each}

<style>
  article {
    display: grid;
    grid-template-columns: 190px minmax(0, 1fr) max-content;
    gap: var(--s-8);
    padding: var(--s-6) 0;
    border-bottom: 1px solid var(--line);
    align-items: start;
  }
  .place a {
    display: block;
    color: var(--main);
    font-size: var(--t-base);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .place .muted,
  time {
    font-size: var(--t-small);
  }
  .text {
    font-size: var(--t-lead);
    max-width: 68ch;
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
  .done .text {
    text-decoration: line-through;
    color: var(--muted);
  }
  .answer {
    border-left: 2px solid var(--line);
    padding-left: var(--s-5);
    margin-top: var(--s-2);
  }
  form {
    display: flex;
    gap: var(--s-3);
    margin-top: var(--s-3);
    max-width: 560px;
  }
  form :global(.field) {
    padding: var(--s-1) var(--s-4);
    background: transparent;
    border-color: var(--line);
  }
  .none {
    padding: var(--s-9) 0;
  }
  @media (--narrow) {
    article {
      grid-template-columns: 1fr;
      gap: var(--s-2);
    }
  }
</style>
