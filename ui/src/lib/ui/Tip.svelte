<!-- A word or two about what it is put behind, for the mouse and for the keyboard. -->
<script lang="ts">
  import Tooltip from 'flowbite-svelte/Tooltip.svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    /** what it says */
    says: string;
    children: Snippet;
  }
  const id = $props.id();
  let { says, children }: Props = $props();
</script>

<span class="tipped" aria-describedby={id}>{@render children()}</span>
<Tooltip arrow={false} placement="bottom-start" offset={4} class="tip"><span {id}>{says}</span></Tooltip>
