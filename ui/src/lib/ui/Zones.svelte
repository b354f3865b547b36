<!-- A time zone to type, with all that there are to choose from. -->
<script lang="ts">
  import Field from './Field.svelte';

  interface Props {
    value: string;
    label: string;
    problem?: string;
    disabled?: boolean;
  }
  let { value = $bindable(), label, problem, disabled = false }: Props = $props();
  const uid = $props.id();
  const zones = Intl.supportedValuesOf('timeZone');
</script>

<Field {label} bind:value list={uid + '-zones'} {problem} {disabled} required autocomplete="off" />
<datalist id={uid + '-zones'}
  >{#each zones as name (name)}<option value={name}></option>{/each}</datalist
>
