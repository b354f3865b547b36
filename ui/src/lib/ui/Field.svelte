<!-- One line of text to fill in. Its label, hint and problem belong to it, so that a screen reader says them. -->
<script lang="ts">
  import Input from 'flowbite-svelte/Input.svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'value' | 'size' | 'class'> {
    value?: string;
    label?: string;
    hint?: string;
    problem?: string;
    /** the field itself, to put the cursor into it */
    box?: HTMLInputElement;
    class?: string;
  }
  const uid = $props.id();
  let {
    value = $bindable(),
    box = $bindable(),
    label,
    hint,
    problem,
    class: where = '',
    id = uid,
    ...rest
  }: Props = $props();
  const said = $derived([hint && `${id}-hint`, problem && `${id}-problem`].filter(Boolean).join(' ') || undefined);
</script>

{#if label}<label class="label" for={id}>{label}</label>{/if}
<Input
  bind:value
  bind:elementRef={box}
  aria-describedby={said}
  aria-invalid={problem ? 'true' : undefined}
  {...rest as object}
  {id}
  class="field {where}"
/>
{#if hint}<p class="hint" id="{id}-hint">{hint}</p>{/if}
{#if problem}<p class="problem" id="{id}-problem" role="alert">{problem}</p>{/if}
