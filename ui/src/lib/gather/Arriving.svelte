<!-- One file before its upload: what it is, its name and tags, what it becomes, and what looks wrong with it. -->
<script lang="ts">
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
</script>

<li class:out={line.as === 'out'}>
  <span class="kind">{kindOf(line.file.name, line.file.type)}</span>
  <span class="name">
    <input class="field" aria-label="Name of {line.file.name}" bind:value={line.named} />
    {#if line.folder}<span class="muted">in {line.folder}</span>{/if}
    {#if wrong}<span class="late">{wrong}</span>{/if}
  </span>
  {#if anywhere}
    <input
      class="field tags"
      aria-label="Tags of {line.file.name}"
      placeholder="tags of its own"
      bind:value={line.own}
    />
  {/if}
  <span class="figure muted">{weight(line.file.size)}</span>
  <select class="field" aria-label="What to do with {line.file.name}" bind:value={line.as}>
    {#if anywhere}<option value="new">as a new thing</option>{/if}
    {#if onto?.kind === 'link'}
      <option value="picture">picture of {onto.name}</option>
    {:else if line.offer}
      <option value="version">next version of {line.offer.beside}</option>
      {#if line.offer.kind === 'rendition'}<option value="rendition">format of {line.offer.beside}</option>{/if}
    {/if}
    <option value="out">leave out</option>
  </select>
  {#if line.offer && line.as === 'new'}
    <span class="offer">
      {#if line.offer.kind === 'version'}It looks like the next version of {line.offer.beside}.
        <button class="link" onclick={() => (line.as = 'version')}>Make it that</button>
      {:else if line.offer.kind === 'rendition'}It looks like {line.offer.beside} in another format.
        <button class="link" onclick={() => (line.as = 'rendition')}>Make it that</button>
      {:else}{line.offer.beside} is here already, with another size.
        <button class="link" onclick={() => (line.as = 'version')}>Make it the next version</button>
      {/if}
    </span>
  {/if}
</li>

<style>
  li {
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr) 150px 76px 210px;
    gap: 6px 14px;
    align-items: center;
    padding: 6px 0;
    border-bottom: 1px solid var(--line);
  }
  .out .name,
  .out .kind {
    opacity: 0.75;
  }
  .kind {
    font-size: 14.5px;
  }
  .name {
    display: grid;
    gap: 2px;
    font-size: var(--t-small);
  }
  li .field {
    padding: 4px 8px;
    min-height: 32px;
    font-size: 14.5px;
  }
  li .figure {
    text-align: right;
  }
  .offer {
    grid-column: 2 / -1;
    font-size: 14.5px;
  }
  @media (max-width: 720px) {
    li {
      grid-template-columns: minmax(0, 1fr) 76px;
    }
    .kind {
      display: none;
    }
    .tags,
    select,
    .offer {
      grid-column: 1 / -1;
      order: 1;
    }
  }
</style>
