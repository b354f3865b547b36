<!-- What stands beside the picture: the note at what is shown, or the list of all of them. -->
<script lang="ts">
  import type { RoomData } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { tick, untrack } from 'svelte';
  import Filter from './Filter.svelte';
  import List from './List.svelte';
  import type { Laid, Review } from './review.svelte';
  import Stars from './Stars.svelte';
  import Thread from './Thread.svelte';

  interface Props {
    review: Review;
    room: RoomData;
    /** all notes stand there */
    list: boolean;
    /** the notes at what is shown */
    lit: string[];
    pick: (note: Laid | undefined) => void;
    turn: (by: 1 | -1) => void;
    /** the address that opens at the note in front */
    address: string;
    load: () => Promise<void>;
    /** where the player is, in microseconds; null where nothing plays */
    at: () => number | null;
  }
  let { review, room, list = $bindable(), lit, pick, turn, address, load, at }: Props = $props();

  const attempts = untrack(() => new Attempt(load));
  let thread = $state<ReturnType<typeof Thread>>();
  let find = $state<HTMLInputElement>();
  const note = $derived(review.note);
  const many = $derived(review.filtered ? `${review.shown.length} of ${review.all.length}` : `${review.open} of ${review.all.length} open`); // prettier-ignore

  export const turnDone = () => thread?.turnDone();
  export async function search() {
    list = true;
    await tick();
    find?.focus();
  }
</script>

<section class="note" aria-label="The note here">
  <div class="which">
    <button class="count" aria-expanded={list} aria-controls="all-notes" onclick={() => (list = !list)}
      >{review.all.length ? many : 'No notes yet'} <kbd class="key">B</kbd></button
    >
    <Stars
      stars={room.stars}
      may={review.may('note')}
      give={(n) => void attempts.run(() => review.seat.stars(room.item.id, n))}
    />
    {#if review.shown.length > 1}
      <span
        ><button onclick={() => turn(-1)} aria-label="Note before">↑</button><button
          onclick={() => turn(1)}
          aria-label="Note after">↓</button
        ></span
      >
    {/if}
  </div>
  {#if list}
    <div class="list" id="all-notes">
      <Filter {review} bind:box={find} />
      <List {review} {lit} {pick} />
    </div>
  {:else if note}
    <Thread bind:this={thread} {review} {note} goTo={pick} {address} attempt={attempts.run} {at} />
  {:else if review.filtered}
    <p class="hint">
      No note is like that. <Button
        look="link"
        onclick={() => ((review.find = review.who = review.kind = ''), (review.which = 'all'))}>Show all</Button
      >
    </p>
  {:else}
    <p class="hint">
      {#if !review.may('note')}Nobody has left a note yet.
      {:else if at() !== null}Stop where something should change, and say it below: write, speak, draw.
      {:else}Press the spot where something should change, or write below.{/if}
    </p>
  {/if}
  {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
</section>

<style>
  .note {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  .which {
    display: flex;
    justify-content: space-between;
    border-bottom: 1px solid var(--line);
    padding-bottom: var(--s-3);
    margin-bottom: var(--s-5);
    font-size: var(--t-small);
  }
  .which button {
    padding: 0 var(--s-3);
    min-height: 24px;
  }
  .which .count {
    color: var(--muted);
    padding-left: 0;
  }
  .count:hover {
    color: var(--ink);
  }
  .list {
    overflow: auto;
    flex: 1;
    min-height: 0;
  }
  .hint {
    color: var(--muted);
    padding: var(--s-7) 0;
  }
  @media (--middle) {
    .note {
      margin-inline: var(--s-7);
      padding-top: var(--s-4);
    }
  }
</style>
