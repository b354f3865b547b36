<!-- The note in front, large, with what was answered, and what one can do with it. -->
<script lang="ts">
  import { words, type Note, type Schemas } from '$api/client';
  import { signs } from '$api/kinds';
  import { clock as now } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Menu, { type Act } from '$lib/ui/Menu.svelte';
  import { tick } from 'svelte';
  import Answer from './Answer.svelte';
  import type { Laid, Review } from './review.svelte';
  import Said from './Said.svelte';

  interface Props {
    review: Review;
    note: Laid;
    goTo: (note: Laid) => void;
    /** the address that opens at this note */
    address: string;
    attempt: (work: () => Promise<unknown>) => Promise<void>;
    /** where the player is, in microseconds; null where nothing plays */
    at: () => number | null;
  }
  let { review, note, goTo, address, attempt, at }: Props = $props();
  const seat = $derived(review.seat);
  const mayNote = $derived(review.may('note'));
  const studio = $derived(review.room?.studio ?? false);
  const members = $derived(review.room?.people.filter((p) => p.studio) ?? []);

  let editing = $state('');
  let text = $state('');
  let former = $state.raw<Schemas['WordsView'][]>([]);
  let before = $state(false);
  let problem = $state('');
  let box = $state<HTMLTextAreaElement>();
  let copied = $state(false);

  // Another note in front has a field of its own.
  const id = $derived(note.id);
  $effect(() => {
    void id;
    editing = problem = '';
    copied = before = false;
  });

  const done = () => attempt(() => seat.done(note.id, !note.done));
  export const turnDone = () => mayNote && void done();
  async function edit(one: Note) {
    editing = one.id;
    text = one.body;
    await tick();
    box?.focus();
  }
  function save(event: SubmitEvent, one: Note) {
    event.preventDefault();
    problem = '';
    void attempt(async () => {
      try {
        await seat.edit(one, text);
        editing = '';
      } catch (thrown) {
        problem = words(thrown); // what was written stays in the field
      }
    });
  }
  const earlier = () => attempt(async () => ((former = await seat.former(note.id)), (before = true)));
  async function copy() {
    await navigator.clipboard?.writeText(new URL(address, location.href).href).catch(() => undefined);
    copied = true;
  }
  const acts = $derived.by(() => {
    const all: Act[] = [{ name: copied ? 'Link copied' : 'Link to this place', do: () => void copy() }];
    if (note.mine && mayNote) all.push({ name: 'Edit', do: () => void edit(note) });
    if (note.edition > 1) all.push({ name: 'Words before', do: () => void earlier() });
    if (studio && note.studio)
      all.push({
        name: note.private ? 'Show it to all' : 'Only the studio sees this',
        do: () => void attempt(() => seat.hide(note.id, !note.private)),
      });
    if (note.away && note.here.when && mayNote)
      for (const [name, onwards] of [
        ['It belongs here', false],
        ['It and all behind it move here', true],
      ] as const)
        all.push({ name, do: () => void attempt(() => seat.lay(note.id, review.room!.item.version, at() ?? 0, onwards)) }); // prettier-ignore
    if (note.mine && mayNote)
      all.push({ name: 'Take it back', wrong: true, do: () => void attempt(() => seat.remove(note.id)) });
    return all;
  });
  const toDo = $derived<Act[]>([
    { name: 'Nobody', do: () => void attempt(() => seat.assign(note.id, '')) },
    ...members.map((m) => ({ name: m.me ? `${m.name} (you)` : m.name, do: () => void attempt(() => seat.assign(note.id, m.id)) })), // prettier-ignore
  ]);
  const given = (sign: string) => note.signs.filter((s) => s.sign === sign);
</script>

<article class:done={note.done}>
  <p class="who">
    <strong>{note.mine ? 'You' : note.author}</strong>
    {#if note.studio && !note.mine}<span class="muted">studio</span>{/if}
    <time class="muted" datetime={note.at} title={inFull(new Date(note.at))}>{briefly(new Date(note.at), now.now)}</time
    >
    {#if note.private}<span class="tag">only the studio</span>{/if}
    {#if note.away}<span class="tag" class:look={note.carried && !note.carried.sure}
        >version {note.number}{note.carried ? `: ${note.carried.says}` : ''}</span
      >{/if}
    {#if note.brought_by}<span class="muted">brought in by {note.brought_by}</span>{/if}
    {#if note.done}<span class="tick">done ✓</span>{/if}
  </p>
  {#if note.label}
    <button class="figure at" onclick={() => goTo(note)}
      >{note.label}{note.here.when === 'span' ? ` – ${note.untilLabel}` : ''}</button
    >
  {/if}
  {#if editing === note.id}
    {@render rewording(note, 3, 'Your note')}
  {:else if note.body}<h2 class:done={note.done}>{note.body}</h2>
  {:else if !note.attached.length}<h2 class="muted">{note.says}</h2>{/if}
  {@render lying(note)}
  {#if mayNote || note.signs.length}
    <p class="signs">
      {#each signs as sign (sign.name)}
        {@const all = given(sign.name)}
        {@const mine = all.some((s) => s.who === review.me)}
        {#if mayNote}
          <button
            aria-pressed={mine}
            title={all.length ? all.map((s) => s.name).join(', ') : sign.means}
            onclick={() => void attempt(() => seat.sign(note.id, sign.name, !mine))}
            >{sign.word}{#if all.length}<span class="figure"> {all.length}</span>{/if}</button
          >
        {:else if all.length}<span title={all.map((s) => s.name).join(', ')}>{sign.word} {all.length}</span>{/if}
      {/each}
    </p>
  {/if}
  {#each note.answers as a (a.id)}
    <div class="answer" class:own={a.private}>
      <p>
        <strong>{a.mine ? 'You' : a.author}</strong>
        <time class="muted" datetime={a.at} title={inFull(new Date(a.at))}>{briefly(new Date(a.at), now.now)}</time>
        {#if a.private}<span class="tag">only the studio</span>{/if}
        {#if a.mine && mayNote && editing !== a.id}
          <button class="small" onclick={() => void edit(a)} aria-label="Edit your answer">Edit</button>
          <button class="small" onclick={() => void attempt(() => seat.remove(a.id))} aria-label="Take back your answer"
            >Take back</button
          >
        {/if}
      </p>
      {#if editing === a.id}
        {@render rewording(a, 2, 'Your answer')}
      {:else}<p class="body">{a.says}</p>{/if}
      {@render lying(a)}
    </div>
  {/each}
</article>
{#if mayNote}
  {#key note.id}
    <Answer {review} {note} {attempt} done={() => void done()}>{@render more()}</Answer>
  {/key}
{:else}{@render more()}{/if}

{#snippet more()}
  <span class="acts">
    {#if studio}
      <Menu
        name={note.assignee ? `For ${note.assignee}` : 'Assign'}
        label="Assign, {note.assignee || 'nobody yet'}"
        acts={toDo}
        side="top-start"
      />
    {/if}
    <Menu name="More" label="More about this note" {acts} side="top-start" />
  </span>
{/snippet}

{#snippet rewording(one: Note, rows: number, label: string)}
  <form class="edit" onsubmit={(e) => save(e, one)}>
    <Area
      bind:box
      bind:value={text}
      {rows}
      aria-label={label}
      onkeydown={(e) => e.key === 'Escape' && (e.stopPropagation(), (editing = ''))}
    />
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main">Save</Button>
    <Button look="quiet" onclick={() => (editing = '')}>Leave it</Button>
  </form>
{/snippet}

{#snippet lying(one: Note)}
  {#each one.attached as a (a.id)}
    {#if a.kind === 'voice'}<Said voice={a} src={seat.attached(a.id)} who={one.author} />
    {:else}<a class="shown" href={seat.attached(a.id)} target="_blank" rel="noopener"
        ><img
          src={seat.attached(a.id)}
          alt="Attached by {one.author}"
          loading="lazy"
          width={a.width}
          height={a.height}
        /></a
      >{/if}
  {/each}
{/snippet}

<Dialog bind:open={before} title="Words before" size="small">
  {#each former as w, i (i)}
    <p class="former"><span class="muted">until {inFull(new Date(w.until))}</span><br />{w.text}</p>
  {/each}
</Dialog>

<style>
  article {
    overflow: auto;
    flex: 1;
    min-height: 0;
  }
  .who {
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s-4);
    align-items: baseline;
  }
  .who time,
  .answer time,
  .who .muted {
    font-size: var(--t-small);
  }
  .tag {
    border: 1px solid var(--edge);
    border-radius: var(--radius);
    padding: 0 var(--s-2);
    font-size: var(--t-tiny);
    color: var(--muted);
  }
  .tag.look {
    border-color: var(--late);
    color: var(--late);
  }
  .tick {
    color: var(--main);
    font-size: var(--t-small);
  }
  .at {
    color: var(--late);
    text-decoration: underline;
    text-underline-offset: 3px;
    font-size: var(--t-base);
    min-height: 24px;
  }
  h2 {
    font-size: var(--t-large);
    line-height: 1.28;
    margin: var(--s-1) 0 var(--s-4);
    overflow-wrap: anywhere;
    white-space: pre-line;
  }
  h2.done {
    text-decoration: line-through;
    color: var(--muted);
  }
  .shown img {
    max-width: 100%;
    max-height: 180px;
    width: auto;
    height: auto;
    border-radius: var(--radius);
    margin: var(--s-2) 0;
  }
  .signs {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-2);
    margin: var(--s-3) 0 var(--s-6);
    font-size: var(--t-small);
  }
  .signs button {
    min-height: 26px;
    padding: 0 var(--s-3);
    border: 1px solid var(--line);
    border-radius: 13px;
    color: var(--muted);
  }
  .signs button:hover {
    color: var(--ink);
    border-color: var(--edge);
  }
  .signs [aria-pressed='true'] {
    border-color: var(--seen);
    color: var(--seen);
  }
  .answer {
    border-left: 2px solid var(--line);
    padding-left: var(--s-4);
    margin-bottom: var(--s-5);
  }
  .own {
    border-left-style: dashed;
  }
  .body {
    overflow-wrap: anywhere;
    white-space: pre-line;
  }
  .small {
    font-size: var(--t-small);
    color: var(--muted);
    padding: 0 var(--s-2);
    min-height: 24px;
  }
  .small:hover {
    color: var(--main);
  }
  .edit {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
    margin: var(--s-3) 0;
  }
  .edit :global(textarea) {
    flex-basis: 100%;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
    align-items: center;
  }
  .acts :global(.menu-of > .button) {
    border-color: transparent;
    color: var(--muted);
    font-size: var(--t-small);
    font-weight: 400;
    min-height: 28px;
    padding-inline: 0 var(--s-3);
  }
  .acts :global(.menu-of > .button:hover) {
    color: var(--ink);
  }
  .former {
    margin-bottom: var(--s-6);
    white-space: pre-line;
  }
</style>
