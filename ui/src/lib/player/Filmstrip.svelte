<!-- The picture at a moment, from the filmstrip of a film, over the place where one points. -->
<script lang="ts">
  import { fetched } from '$lib/fetched.svelte';
  import { cellAt, cells, type Cell } from './filmstrip';

  let { look, share, length }: { look: string; share: number; length: number } = $props();
  let index = $state.raw<Cell[]>([]);
  const cell = $derived(cellAt(index, share * length));

  fetched(
    () => `${look}strip-index`,
    async (answer) => (index = cells(await answer.text())),
  );
</script>

{#if cell}
  <span
    class="cell"
    aria-hidden="true"
    style:left="clamp({cell.width / 2}px, {share * 100}%, calc(100% - {cell.width / 2}px))"
    style:width="{cell.width}px"
    style:height="{cell.height}px"
    style:background="url({look}strip) -{cell.x}px -{cell.y}px"
  ></span>
{/if}

<style>
  .cell {
    position: absolute;
    bottom: calc(100% + 6px);
    translate: -50% 0;
    border: 1.5px solid var(--surface);
    border-radius: 2px;
    pointer-events: none;
    box-sizing: content-box;
  }
</style>
