<!-- What slides in over the page from below or from the side, and leaves the page where it was. -->
<script lang="ts">
  import Drawer from 'flowbite-svelte/Drawer.svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    open: boolean;
    title: string;
    from?: 'right' | 'bottom';
    children: Snippet;
  }
  let { open = $bindable(false), title, from = 'right', children }: Props = $props();
</script>

<Drawer
  bind:open
  placement={from}
  dismissable={false}
  transitionParams={{ duration: 120 }}
  aria-label={title}
  class="drawer {from}"
>
  <header class="dialog-head">
    <h2>{title}</h2>
    <button class="cross" type="button" aria-label="Close" onclick={() => (open = false)}>
      <svg viewBox="0 0 14 14" width="14" height="14" aria-hidden="true"><path d="M2 2l10 10M12 2L2 12" /></svg>
    </button>
  </header>
  {@render children()}
</Drawer>
