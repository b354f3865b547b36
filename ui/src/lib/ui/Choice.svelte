<!-- One of a few that are all in sight: a row of segments, walked with the arrow keys. -->
<script lang="ts">
  import Radio from 'flowbite-svelte/Radio.svelte';

  interface Props {
    /** what is chosen, for screen readers */
    label: string;
    options: { value: string; name: string; hint?: string; off?: boolean }[];
    value: string;
    /** called with what was chosen by hand */
    pick?: (value: string) => void;
    class?: string;
  }
  const name = $props.id();
  let { label, options, value = $bindable(), pick, class: where = '' }: Props = $props();
</script>

<div class="choices {where}" role="radiogroup" aria-label={label}>
  {#each options as option (option.value)}
    <Radio
      {name}
      value={option.value}
      group={value}
      disabled={option.off}
      title={option.hint}
      onchange={() => ((value = option.value), pick?.(option.value))}
      class="visually-hidden"
      classes={{ label: 'segment' }}>{option.name}</Radio
    >
  {/each}
</div>
