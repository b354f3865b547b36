<!-- Where a note is answered, in words, by voice or with a picture; an empty answer says that the note is done. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import { untrack, type Snippet } from 'svelte';
  import Attached from './Attached.svelte';
  import { Attaching } from './attaching.svelte';
  import { keepDraft, keptDraft, type Laid, type Review } from './review.svelte';
  import Voice from './Voice.svelte';

  interface Props {
    review: Review;
    note: Laid;
    attempt: (work: () => Promise<unknown>) => Promise<void>;
    done: () => void;
    /** what else one can do with the note */
    children?: Snippet;
  }
  let { review, note, attempt, done, children }: Props = $props();
  const seat = $derived(review.seat);
  const id = untrack(() => note.id);
  const kept = untrack(() => keptDraft(id));
  const attaching = untrack(() => new Attaching(review.seat, note.item, kept?.attached));

  let text = $state(kept?.text ?? '');
  let hidden = $state(kept?.private ?? false);
  let attached = $state<ReturnType<typeof Attached>>();
  const begun = $derived(Boolean(text.trim() || attaching.all.length));

  // What somebody began survives another note that comes in front, and a closed tab.
  $effect(() => keepDraft(id, { text, anchor: {}, private: hidden, attached: attaching.all }));

  function send(event: SubmitEvent) {
    event.preventDefault();
    if (attaching.busy) return;
    if (!begun) return done();
    void attempt(async () => {
      await seat.answer(id, text.trim(), attaching.ids, hidden);
      text = '';
      hidden = false;
      attaching.clear();
    });
  }
</script>

<Attached bind:this={attached} {attaching} {seat} label="Picture to attach to the answer" />
{#if attaching.recording}
  <Voice made={(voice) => void attaching.attach('voice', voice)} left={() => (attaching.recording = false)} />
{:else}
  <form class="reply" onsubmit={send}>
    <Field
      aria-label="Answer"
      placeholder="Answer"
      bind:value={text}
      onpaste={(e) => attaching.take(e.clipboardData?.files) && e.preventDefault()}
    />
    <Button look="main" disabled={attaching.busy !== ''}>{begun ? 'Answer' : note.done ? 'Open again' : 'Done'}</Button>
  </form>
  <p class="ways">
    <button onclick={() => (attaching.recording = true)} aria-label="Answer by voice">Voice</button>
    <button onclick={() => attached?.choose()} aria-label="Picture to the answer">Picture</button>
    {#if review.room?.studio && begun && !note.private}
      <button aria-pressed={hidden} onclick={() => (hidden = !hidden)}>Only the studio sees it</button>
    {/if}
    <span class="more">{@render children?.()}</span>
  </p>
{/if}

<style>
  .reply {
    display: flex;
    gap: var(--s-3);
    margin-top: var(--s-4);
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-1) var(--s-3);
    padding-top: var(--s-2);
    font-size: var(--t-small);
  }
  .more {
    display: flex;
    gap: var(--s-3);
    margin-left: auto;
  }
  .ways > button {
    color: var(--muted);
    min-height: 26px;
    padding: 0;
  }
  .ways > button:hover,
  .ways > [aria-pressed='true'] {
    color: var(--main);
  }
  @media (--middle) {
    .ways > button {
      min-height: 40px;
      min-width: 44px;
      text-align: left;
    }
  }
</style>
