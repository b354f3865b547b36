<!-- Several lines of text to fill in. -->
<script lang="ts">
  import Textarea from 'flowbite-svelte/Textarea.svelte';
  import type { HTMLTextareaAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLTextareaAttributes, 'value' | 'class'> {
    value?: string;
    label?: string;
    /** the field itself, to put the cursor into it */
    box?: HTMLTextAreaElement;
    class?: string;
  }
  const uid = $props.id();
  let { value = $bindable(), box = $bindable(), label, class: where = '', id = uid, ...rest }: Props = $props();
</script>

{#if label}<label class="label" for={id}>{label}</label>{/if}
<Textarea bind:value bind:elementRef={box} {...rest as object} {id} class="field {where}" />
