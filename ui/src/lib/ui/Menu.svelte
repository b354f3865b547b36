<!-- A button under which a list of acts unfolds. Arrow keys walk it, Escape leads back to the button. -->
<script lang="ts">
  import Dropdown from 'flowbite-svelte/Dropdown.svelte';
  import DropdownItem from 'flowbite-svelte/DropdownItem.svelte';
  import type { Snippet } from 'svelte';
  import Button from './Button.svelte';
  import { step } from './walk';

  export interface Act {
    name: string;
    href?: string;
    do?: () => void;
    /** what stands behind the name: a key, a count */
    note?: string;
    wrong?: boolean;
    off?: boolean;
  }
  interface Props {
    /** what there is to say below the acts */
    children?: Snippet;
    name: string;
    acts: Act[];
    /** what is said of the button, when its name alone does not say it */
    label?: string;
    look?: 'plain' | 'main' | 'quiet' | 'link';
    side?: 'bottom-start' | 'bottom-end' | 'top-start' | 'right-start';
    class?: string;
  }
  // The slip says by a late event that it stands open. It may only fold by itself: whoever was quicker than that event
  // would have it open again.
  const id = $props.id();
  let { name, acts, label, look = 'quiet', side = 'bottom-start', class: where = '', children }: Props = $props();
  let open = $state(false);
  const button = () => document.getElementById(id);

  function key(event: KeyboardEvent) {
    if (!open) {
      if (event.key === 'ArrowDown') {
        event.preventDefault();
        open = true;
        focusFirst();
      }
      return;
    }
    const list = document.getElementById(`${id}-acts`);
    if (event.key === 'Escape') {
      event.stopPropagation();
      open = false;
      button()?.focus();
    } else if (list && step(list, event.key)) event.preventDefault();
  }
  const focusFirst = () =>
    setTimeout(() =>
      document.querySelector<HTMLElement>(`#${CSS.escape(id)}-acts :is(a, button):not(:disabled)`)?.focus(),
    );

  function toggle(event: MouseEvent) {
    event.stopPropagation();
    open = !open;
    if (open && event.detail === 0) focusFirst();
  }
  function act(one: Act) {
    open = false;
    button()?.focus();
    one.do?.();
  }
</script>

<span class="menu-of {where}" onkeydown={key} role="presentation">
  <Button {id} {look} aria-label={label} aria-expanded={open} aria-controls="{id}-acts" onclick={toggle}>{name}</Button>
  <span hidden id="{id}-at"></span>
  <Dropdown
    simple
    bind:isOpen={() => open, (to) => (open = open && to)}
    triggeredBy="#{CSS.escape(id)}-at"
    reference="#{CSS.escape(id)}"
    placement={side}
    offset={4}
    id="{id}-acts"
    role="dialog"
    aria-label={label ?? name}
    class="slip"
  >
    {#each acts as one (one.name)}
      <DropdownItem
        href={one.href}
        onclick={() => act(one)}
        disabled={one.off || undefined}
        class={one.wrong ? 'wrong' : ''}
        >{one.name}{#if one.note}<span class="figure muted">{one.note}</span>{/if}</DropdownItem
      >
    {/each}
    {#if children}<li class="hint">{@render children()}</li>{/if}
  </Dropdown>
</span>
