<!-- A dialog: what is asked, and how to answer or leave. It closes by its cross, by Escape and by a press outside. -->
<script lang="ts">
  import Modal from 'flowbite-svelte/Modal.svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    open: boolean;
    title: string;
    /** it cannot be left without an answer */
    permanent?: boolean;
    size?: 'small' | 'middle' | 'large';
    /** it was left without an answer */
    left?: () => void;
    children: Snippet;
    class?: string;
  }
  let {
    open = $bindable(false),
    title,
    permanent = false,
    size = 'middle',
    left,
    children,
    class: where = '',
  }: Props = $props();

  // The library takes it out of the page while it is open, which loses the focus; a dialog that is closed gives it back.
  const closed = (event: Event) => (event.currentTarget as HTMLDialogElement).close();
</script>

<Modal
  bind:open
  {title}
  form={false}
  {permanent}
  outsideclose={!permanent}
  dismissable={false}
  oncancel={() => left?.()}
  onoutroend={closed}
  transitionParams={{ duration: 90 }}
  aria-label={title}
  class="dialog {size} {where}"
  classes={{ header: 'dialog-head', body: 'dialog-body' }}
>
  {#if !permanent}<button class="cross" type="button" aria-label="Close" onclick={() => ((open = false), left?.())}>
      <svg viewBox="0 0 14 14" width="14" height="14" aria-hidden="true"><path d="M2 2l10 10M12 2L2 12" /></svg>
    </button>{/if}
  {@render children()}
</Modal>
