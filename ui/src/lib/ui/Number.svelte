<!-- A whole number within bounds, with its label over it. -->
<script lang="ts">
  import Field from './Field.svelte';

  interface Props {
    label: string;
    value: number;
    min: number;
    max: number;
    set: (value: number) => void;
  }
  let { label, value, min, max, set }: Props = $props();
  const fits = (n: number) => Number.isInteger(n) && n >= min && n <= max;
  let problem = $state('');
  function take(text: string) {
    const n = Number(text);
    problem = fits(n) ? '' : `From ${min} to ${max}.`;
    if (fits(n) && n !== value) set(n);
  }
</script>

<div class="number">
  <Field
    {label}
    type="number"
    inputmode="numeric"
    {min}
    {max}
    value={String(value)}
    {problem}
    onchange={(e) => take(e.currentTarget.value)}
  />
</div>
