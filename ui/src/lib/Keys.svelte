<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  let { open = $bindable(false), room = false }: { open?: boolean; room?: boolean } = $props();
  const everywhere = [
    ['?', 'this list'],
    ['D', 'Desk'],
    ['P', 'Packages'],
    ['N', 'new package'],
  ];
  const inRoom = [
    ['Space or K', 'play, pause'],
    ['J  L', 'slower or back, faster'],
    ['← →', 'one frame back, on'],
    ['Shift ← →', 'one second back, on'],
    ['M', 'note at this frame'],
    ['↑ ↓', 'note before, note after'],
    ['F', 'full screen'],
    ['Esc', 'back to the package'],
  ];
</script>

<Modal bind:open title="Keys" size="sm" class="aftergust-modal">
  <dl>
    {#each room ? inRoom : everywhere as [key, what] (key)}
      <dt><kbd class="key">{key}</kbd></dt>
      <dd>{what}</dd>
    {/each}
  </dl>
</Modal>

<style>
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 8px 20px;
    color: var(--ink);
  }
</style>
