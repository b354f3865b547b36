<script lang="ts">
  import Dialog from '$lib/ui/Dialog.svelte';
  let { open = $bindable(false), at = '' }: { open?: boolean; at?: '' | 'room' | 'gather' | 'desk' } = $props();
  const everywhere = [
    ['?', 'this list'],
    ['D', 'Desk'],
    ['G', 'Gather'],
    ['P', 'Packages'],
    ['N', 'new package'],
    ['U', 'uploads'],
    ['/', 'find'],
    ['Ctrl Z', 'undo'],
  ];
  // Once the Horizon has the cursor.
  const inDesk = [
    ['← →', 'time before, time after'],
    ['+  −', 'nearer, further'],
    ['0', 'show all of it'],
    ['↑ ↓', 'one package before, one after'],
    ['E', 'move its end, with ← →, Shift for days, Enter'],
    ['R', 'remind whoever has not everything'],
    ['S', 'stop it'],
  ];
  const inGather = [
    ['↑ ↓', 'one before, one after; with Shift choose as well'],
    ['Enter, Space', 'open'],
    ['← →', 'in a preview: the one before, the next'],
    ['Ctrl A', 'choose all'],
    ['F2', 'rename'],
    ['T  H', 'tag, keep at hand'],
    ['M  Y', 'move, copy'],
    ['O', 'show as formats of one thing'],
    ['I', 'preflight'],
    ['Ctrl Enter', 'pack'],
    ['W', 'show on a page for finished work'],
    ['Shift D', 'take'],
    ['Del', 'delete'],
    ['Alt ↑ ↓', 'earlier, later in the order by hand'],
    ['Alt ←', 'one place up'],
  ];
  const inRoom = [
    ['Space', 'play, pause'],
    ['J  K  L', 'backwards, stop, forwards; again for faster'],
    ['← →', 'one frame back, on; with Shift one second'],
    ['Page ↑ ↓', 'ten seconds back, on; in a document one page'],
    ['I  O  X', 'in, out, neither'],
    ['R', 'repeat from in to out'],
    ['[  ]', 'slower, faster'],
    [',  .  U', 'softer, louder, silent'],
    ['T  Y', 'type where to go; timecode, frames or clock'],
    ['F  W', 'full screen, small window'],
    ['M  V  S', 'write, say, draw a note at this frame'],
    ['↑ ↓', 'note before, note after'],
    ['N  E', 'next open note; done'],
    ['B  /', 'all notes as a list; find in them'],
    ['+ − 0', 'the score nearer, further, all of it; with Shift ↑ ↓ along'],
    ['C  Q', 'compare with the version before; the one or the other'],
    ['G', 'sit together: lead, follow, go on alone'],
    ['Shift Space', 'while comparing: only what changed; N for the next change'],
    ['Esc', 'back to the package'],
  ];
  const shown = $derived(
    { room: inRoom, gather: [...everywhere, ...inGather], desk: [...everywhere, ...inDesk], '': everywhere }[at],
  );
</script>

<Dialog bind:open title="Keys" size="small">
  <dl>
    {#each shown as [key, what] (key)}
      <dt><kbd class="key">{key}</kbd></dt>
      <dd>{what}</dd>
    {/each}
  </dl>
</Dialog>

<style>
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: var(--s-3) var(--s-8);
    color: var(--ink);
  }
</style>
