<!-- One of many, from a list that unfolds. -->
<script lang="ts">
  import Select from 'flowbite-svelte/Select.svelte';
  import type { HTMLSelectAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLSelectAttributes, 'value' | 'size' | 'class'> {
    options: { value: string; name: string }[];
    value?: string;
    label?: string;
    /** called with what was chosen by hand */
    pick?: (value: string) => void;
    class?: string;
  }
  const uid = $props.id();
  let { options, value = $bindable(), label, pick, class: where = '', id = uid, ...rest }: Props = $props();
</script>

{#if label}<label class="label" for={id}>{label}</label>{/if}
<Select
  items={options}
  placeholder=""
  bind:value
  {...rest as object}
  {id}
  class="select {where}"
  classes={{ select: 'field' }}
  onchange={(e) => pick?.(e.currentTarget.value)}
/>
