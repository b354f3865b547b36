<!-- Which notes one looks at: open or done, whose, of what kind, with which words. -->
<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Select from '$lib/ui/Select.svelte';
  import type { Kind, Review, Which } from './review.svelte';

  let { review, box = $bindable() }: { review: Review; box?: HTMLInputElement } = $props();
  const people = $derived([
    { value: '', name: 'Everybody' },
    { value: 'me', name: review.room?.studio ? 'Mine, and for me' : 'Mine' },
    ...review.authors.filter((a) => a.id !== review.me).map((a) => ({ value: a.id, name: a.name })),
  ]);
  const kinds = [
    { value: '', name: 'Any kind' },
    { value: 'text', name: 'Written' },
    { value: 'voice', name: 'Voice' },
    { value: 'sketch', name: 'Sketch' },
    { value: 'picture', name: 'With a picture' },
    { value: 'span', name: 'Over a span' },
  ];
  const states = [
    { value: 'all', name: 'Open and done' },
    { value: 'open', name: 'Open' },
    { value: 'done', name: 'Done' },
  ];
</script>

<div class="filter" role="search" aria-label="Notes">
  <Field bind:box aria-label="Find in the notes" placeholder="Find in the notes" bind:value={review.find} />
  <Select aria-label="Open or done" options={states} value={review.which} pick={(v) => (review.which = v as Which)} />
  <Select aria-label="Whose" options={people} value={review.who} pick={(v) => (review.who = v)} />
  <Select aria-label="Of what kind" options={kinds} value={review.kind} pick={(v) => (review.kind = v as Kind)} />
</div>

<style>
  .filter {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--s-2);
    margin-bottom: var(--s-4);
  }
  .filter :global(.field) {
    min-height: 32px;
    padding-block: var(--s-0);
    font-size: var(--t-small);
  }
</style>
