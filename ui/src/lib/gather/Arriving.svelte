<!-- One file before its upload: what it is, its name and tags, what it becomes, and what looks wrong with it. -->
<script lang="ts">
  import Select from '$lib/ui/Select.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { weight } from '$lib/time';
  import { kindOf, type Line } from './before';
  import type { Row } from './gather.svelte';

  interface Props {
    line: Line;
    /** the thing that it was dropped on */
    onto: Row['thing'];
    /** what looks wrong; empty for nothing */
    wrong: string;
    /** whether it may become a thing of its own */
    anywhere: boolean;
  }
  let { line = $bindable(), onto, wrong, anywhere }: Props = $props();
  const options = $derived([
    ...(anywhere ? [{ value: 'new', name: 'as a new thing' }] : []),
    ...(onto?.kind === 'link'
      ? [{ value: 'picture', name: `picture of ${onto.name}` }]
      : line.offer
        ? [
            { value: 'version', name: `next version of ${line.offer.beside}` },
            ...(line.offer.kind === 'rendition'
              ? [{ value: 'rendition', name: `format of ${line.offer.beside}` }]
              : []),
          ]
        : []),
    { value: 'out', name: 'leave out' },
  ]);
</script>

<li class:out={line.as === 'out'}>
  <span class="kind">{kindOf(line.file.name, line.file.type)}</span>
  <span class="name">
    <Field aria-label="Name of {line.file.name}" bind:value={line.named} />
    {#if line.folder}<span class="muted">in {line.folder}</span>{/if}
    {#if wrong}<span class="late">{wrong}</span>{/if}
  </span>
  {#if anywhere}
    <Field class="tags" aria-label="Tags of {line.file.name}" placeholder="tags of its own" bind:value={line.own} />
  {/if}
  <span class="figure muted">{weight(line.file.size)}</span>
  <Select
    aria-label="What to do with {line.file.name}"
    {options}
    bind:value={() => line.as, (to) => (line.as = to as Line['as'])}
  />
  {#if line.offer && line.as === 'new'}
    <span class="offer">
      {#if line.offer.kind === 'version'}It looks like the next version of {line.offer.beside}.
        <Button look="link" onclick={() => (line.as = 'version')}>Make it that</Button>
      {:else if line.offer.kind === 'rendition'}It looks like {line.offer.beside} in another format.
        <Button look="link" onclick={() => (line.as = 'rendition')}>Make it that</Button>
      {:else}{line.offer.beside} is here already, with another size.
        <Button look="link" onclick={() => (line.as = 'version')}>Make it the next version</Button>
      {/if}
    </span>
  {/if}
</li>

<style>
  li {
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr) 150px 76px 210px;
    gap: var(--s-2) var(--s-6);
    align-items: center;
    padding: var(--s-2) 0;
    border-bottom: 1px solid var(--line);
  }
  .out .name,
  .out .kind {
    opacity: 0.75;
  }
  .kind {
    font-size: var(--t-control);
  }
  .name {
    display: grid;
    gap: var(--s-0);
    font-size: var(--t-small);
  }
  li :global(.field) {
    padding: var(--s-1) var(--s-3);
    min-height: 32px;
    font-size: var(--t-control);
  }
  li .figure {
    text-align: right;
  }
  .offer {
    grid-column: 2 / -1;
    font-size: var(--t-control);
  }
  @media (--narrow) {
    li {
      grid-template-columns: minmax(0, 1fr) 76px;
    }
    .kind {
      display: none;
    }
    li > :global(:is(.tags, .select)),
    .offer {
      grid-column: 1 / -1;
      order: 1;
    }
  }
</style>
