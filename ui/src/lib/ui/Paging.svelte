<!-- The pages of something that is turned page by page. -->
<script lang="ts">
  import Pagination from 'flowbite-svelte/Pagination.svelte';

  interface Props {
    /** from 1 */
    at: number;
    of: number;
    what: string;
    turn: (to: number) => void;
  }
  let { at, of, what, turn }: Props = $props();
</script>

<div class="paging">
  <Pagination
    ariaLabel={what}
    pages={[]}
    previous={at > 1 ? () => turn(at - 1) : undefined}
    next={at < of ? () => turn(at + 1) : undefined}
  />
  <span class="figure" aria-live="polite">{at} of {of}</span>
</div>
