<!-- Notes out, in the formats that other programs read, and in again, after a look at what that will do. -->
<script lang="ts">
  import { words, type RoomData } from '$api/client';
  import { noteFormats, notesIn } from '$api/kinds';
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Select from '$lib/ui/Select.svelte';
  import type { Review } from './review.svelte';
  import type { Brought } from './seat';

  interface Props {
    open: boolean;
    review: Review;
    room: RoomData;
    /** the address of the printable list */
    printed: string;
    /** notes came in */
    came: () => void;
  }
  let { open = $bindable(false), review, room, printed, came }: Props = $props();

  let format = $state<string>(noteFormats[0].name);
  let which = $state('all');
  let start = $state('');
  let file = $state.raw<File>();
  let seen = $state.raw<Brought>();
  let busy = $state(false);
  let problem = $state('');
  let done = $state('');
  let pick = $state<HTMLInputElement>();

  const counted = $derived(Boolean(room.item.facts.rate_num));
  const wishes = $derived([
    { value: 'all', name: 'All notes' },
    { value: 'open', name: 'Open notes' },
    ...review.authors.map((a) => ({ value: a.id, name: `Notes of ${a.name}` })),
  ]);
  const address = $derived(
    review.seat.out(room.item.id, format, {
      version: room.item.version,
      open: which === 'open',
      who: which === 'all' || which === 'open' ? '' : which,
      start: start.trim(),
    }),
  );
  const kindOf = (name: string) => Object.entries(notesIn).find(([end]) => name.toLowerCase().endsWith(end))?.[1] ?? (name.toLowerCase().endsWith('.json') ? 'annotations' : ''); // prettier-ignore

  async function bring(doIt: boolean) {
    if (!file) return;
    busy = true;
    problem = '';
    try {
      const kind = kindOf(file.name);
      seen = await review.seat.bring(room.item.id, kind, file, doIt);
      if (doIt) {
        done = `${count(seen.new, 'note')} came in${seen.done ? `, ${count(seen.done, 'note')} ticked as done` : ''}.`;
        file = seen = undefined;
        came();
      }
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
  }
  function chosen(files: FileList | null) {
    file = files?.[0];
    seen = undefined;
    done = problem = '';
    if (!file) return;
    if (kindOf(file.name)) void bring(false);
    else problem = `Notes come in from files that end with ${Object.keys(notesIn).join(', ')}.`;
  }
</script>

<Dialog bind:open title="Notes out and in">
  <div class="exchange">
    <section aria-label="Out">
      <h3>Out</h3>
      <Select label="As" options={noteFormats.map((f) => ({ value: f.name, name: f.word }))} bind:value={format} />
      <p class="hint">{noteFormats.find((f) => f.name === format)?.means}</p>
      <Select label="Which" options={wishes} bind:value={which} />
      {#if counted}
        <Field
          label="Timecode of the first frame"
          bind:value={start}
          class="figure"
          placeholder={room.item.facts.start_label ?? '00:00:00:00'}
          hint="Left empty, that of the media."
        />
      {/if}
      <p class="acts">
        <Button look="main" href={address} download>Take the file</Button>
        <Button look="link" href={printed} target="_blank">Printable list</Button>
      </p>
    </section>
    {#if review.may('note')}
      <section aria-label="In">
        <h3>In</h3>
        <p class="hint">
          Notes from OpenTimelineIO, CSV or Web Annotation. What is here already is recognised and stays as it is.
        </p>
        <input
          bind:this={pick}
          class="visually-hidden"
          type="file"
          tabindex="-1"
          aria-label="File with notes"
          accept={[...Object.keys(notesIn), '.json'].join(',')}
          onchange={(e) => (chosen(e.currentTarget.files), (e.currentTarget.value = ''))}
        />
        <p class="acts"><Button onclick={() => pick?.click()}>Choose a file</Button></p>
        {#if busy}<p class="hint" role="status">Reading …</p>{/if}
        {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
        {#if done}<p role="status"><strong>{done}</strong></p>{/if}
        {#if seen && file}
          <dl aria-label="What will happen">
            <dt class="figure">{seen.new}</dt>
            <dd>
              {seen.new === 1 ? 'note is' : 'notes are'} added{#if seen.first.length}: “{seen.first[0]}”{seen.new > 1
                  ? ' …'
                  : ''}{/if}
            </dd>
            <dt class="figure">{seen.same}</dt>
            <dd>{seen.same === 1 ? 'is' : 'are'} here already</dd>
            {#if seen.differs}
              <dt class="figure">{seen.differs}</dt>
              <dd>{seen.differs === 1 ? 'has' : 'have'} other words here, which stay</dd>
            {/if}
            {#if seen.done}
              <dt class="figure">{seen.done}</dt>
              <dd>{seen.done === 1 ? 'is' : 'are'} ticked as done</dd>
            {/if}
            {#if seen.problems.length}
              <dt class="figure late">{seen.problems.length}</dt>
              <dd class="late">
                {seen.problems.length === 1 ? 'entry is' : 'entries are'} left out: entry {seen.problems[0]?.entry}
                {seen.problems[0]?.say}{seen.problems.length > 1 ? ' …' : ''}
              </dd>
            {/if}
          </dl>
          <Button look="main" disabled={busy || seen.new + seen.done === 0} onclick={() => void bring(true)}
            >{seen.new + seen.done ? `Take ${count(seen.new, 'note')} in` : 'Nothing to take in'}</Button
          >
        {/if}
      </section>
    {/if}
  </div>
</Dialog>

<style>
  .exchange {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--s-10);
  }
  section {
    display: flex;
    flex-direction: column;
    gap: var(--s-2);
    align-items: stretch;
  }
  h3 {
    font-size: var(--t-lead);
  }
  .acts {
    display: flex;
    gap: var(--s-7);
    align-items: center;
    padding-top: var(--s-5);
  }
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: var(--s-1) var(--s-4);
    margin: var(--s-4) 0;
  }
  dt {
    text-align: right;
  }
  .late {
    color: var(--late);
  }
  @media (--narrow) {
    .exchange {
      grid-template-columns: 1fr;
    }
  }
</style>
