<!-- A colour to pick from all there are. -->
<script lang="ts">
  interface Props {
    /** as #14594a */
    value: string;
    label: string;
    pick: (value: string) => void;
  }
  let { value, label, pick }: Props = $props();
</script>

<input type="color" value={value.toLowerCase()} aria-label={label} onchange={(e) => pick(e.currentTarget.value)} />

<style>
  input {
    width: 42px;
    height: 42px;
    flex: none;
    padding: var(--s-0);
    border: 1px solid var(--edge);
    border-radius: var(--radius);
    background: var(--surface);
  }
</style>
