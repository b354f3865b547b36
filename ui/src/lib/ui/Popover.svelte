<!-- A button that opens a slip with more than a list of acts. -->
<script lang="ts">
  import Popover from 'flowbite-svelte/Popover.svelte';
  import type { Snippet } from 'svelte';
  import Button from './Button.svelte';

  interface Props {
    name: string;
    open?: boolean;
    look?: 'plain' | 'main' | 'quiet' | 'link';
    side?: 'bottom-start' | 'bottom-end' | 'top-start';
    children: Snippet;
    class?: string;
  }
  // The slip says by a late event that it stands open. It may only fold by itself: whoever was quicker than that event
  // would have it open again.
  const id = $props.id();
  let {
    name,
    open = $bindable(false),
    look = 'quiet',
    side = 'bottom-start',
    children,
    class: where = '',
  }: Props = $props();

  function toggle(event: MouseEvent) {
    event.stopPropagation();
    open = !open;
  }
  function key(event: KeyboardEvent) {
    if (event.key !== 'Escape' || !open) return;
    event.stopPropagation();
    open = false;
    document.getElementById(id)?.focus();
  }
</script>

<span class="menu-of {where}" onkeydown={key} role="presentation">
  <Button {id} {look} aria-expanded={open} onclick={toggle}>{name}</Button>
  <span hidden id="{id}-at"></span>
  <Popover
    bind:isOpen={() => open, (to) => (open = open && to)}
    trigger="click"
    triggeredBy="#{CSS.escape(id)}-at"
    reference="#{CSS.escape(id)}"
    placement={side}
    offset={4}
    arrow={false}
    role="dialog"
    aria-label={name}
    class="slip open"
    classes={{ content: 'slip-body' }}>{@render children()}</Popover
  >
</span>
