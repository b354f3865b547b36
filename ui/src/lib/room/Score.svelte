<!-- The notes laid along the time of a piece, one lane for each person. -->
<script lang="ts">
  import type { Item, Note } from '$api/client';
  import { clock, label, timelineOf } from '$lib/timecode';
  import Waveform from '$lib/ui/Waveform.svelte';

  interface Props {
    item: Item;
    notes: Note[];
    picked: string;
    pick: (note: Note) => void;
  }
  let { item, notes, picked, pick }: Props = $props();
  const length = $derived(item.facts.length_us || 1);
  const lanes = $derived(
    [...new Set(notes.map((n) => n.author))].map((author) => ({
      author,
      notes: notes.filter((n) => n.author === author).sort((a, b) => (a.anchor.at_us ?? 0) - (b.anchor.at_us ?? 0)),
    })),
  );
  const line = $derived(timelineOf(item.facts));
  const marks = $derived(
    [0, 1, 2, 3, 4].map((i) => {
      const at = (length * i) / 5;
      return {
        x: i * 20,
        label: line
          ? label(line, Math.floor((at * line.num) / line.den / 1_000_000))
          : clock(at / 1_000_000).slice(0, 8),
      };
    }),
  );
</script>

<section class="score" aria-label="Score">
  {#if item.facts.peaks?.length && item.what !== 'sound'}
    <span></span>
    <div class="wave"><Waveform peaks={item.facts.peaks} bars={240} /></div>
  {/if}
  <span></span>
  <div class="ruler figure" aria-hidden="true">
    {#each marks as mark (mark.x)}<span class:odd={mark.x !== 0 && mark.x !== 40} style:left="{mark.x}%"
        >{mark.label}</span
      >{/each}
  </div>
  {#each lanes as lane (lane.author)}
    <h3>{lane.author}</h3>
    <div class="lane">
      {#each lane.notes as note, i (note.id)}
        <button
          class:done={note.done}
          aria-current={note.id === picked}
          style:left="{((note.anchor.at_us ?? 0) / length) * 100}%"
          style:max-width="{(((lane.notes[i + 1]?.anchor.at_us ?? length) - (note.anchor.at_us ?? 0)) / length) * 100}%"
          title={note.body}
          aria-label="{note.place.label}, {note.author}: {note.body}{note.done ? ', done' : ''}"
          onclick={() => pick(note)}>{note.body}</button
        >
      {/each}
    </div>
  {/each}
</section>

<style>
  .score {
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr);
    margin-top: var(--s-6);
  }
  .wave {
    height: 44px;
    --main: var(--seen);
  }
  .ruler {
    position: relative;
    height: 26px;
    border-bottom: 1px solid var(--line);
  }
  .ruler span {
    position: absolute;
    border-left: 1px solid var(--muted);
    padding-left: var(--s-1);
    color: var(--muted);
    font-size: var(--t-tiny);
    line-height: 22px;
  }
  h3 {
    font: 600 var(--t-small) / 32px var(--font-sans);
    border-bottom: 1px solid var(--line);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    padding-right: var(--s-3);
  }
  .lane {
    position: relative;
    height: 33px;
    border-bottom: 1px solid var(--line);
  }
  .lane button {
    position: absolute;
    top: 3px;
    height: 26px;
    border-left: 2px solid var(--late);
    padding: 0 var(--s-3);
    font-size: var(--t-small);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .lane button:hover {
    background: var(--surface);
  }
  .lane button[aria-current='true'] {
    background: var(--late);
    color: var(--on-main);
    font-weight: 600;
  }
  .lane .done {
    border-color: var(--muted);
    color: var(--muted);
    text-decoration: line-through;
  }
  @media (--narrow) {
    .score {
      grid-template-columns: 76px minmax(0, 1fr);
    }
    .ruler .odd {
      display: none;
    }
  }
</style>
