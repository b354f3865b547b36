<!-- A table: a head of names, and rows that the screen fills. -->
<script lang="ts">
  import Table from 'flowbite-svelte/Table.svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    /** what the table is of, for screen readers */
    label: string;
    children: Snippet;
    style?: string;
    class?: string;
  }
  let { label, children, style, class: where = '' }: Props = $props();
</script>

<Table border={false} aria-label={label} {style} class="table {where}" classes={{ div: 'table-box' }}
  >{@render children()}</Table
>
