<!-- Something that holds or does not. -->
<script lang="ts">
  import Checkbox from 'flowbite-svelte/Checkbox.svelte';
  import type { Snippet } from 'svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'checked' | 'class' | 'children' | 'value' | 'color'> {
    checked?: boolean;
    class?: string;
    /** what stands beside it; without, it needs an aria-label */
    children?: Snippet;
  }
  let { checked = $bindable(false), class: where = '', children, ...rest }: Props = $props();
</script>

{#if children}
  <Checkbox bind:checked {...rest as object} class="tickbox" classes={{ div: `ticked ${where}` }}
    >{@render children()}</Checkbox
  >
{:else}
  <Checkbox bind:checked {...rest as object} class="tickbox {where}" />
{/if}
