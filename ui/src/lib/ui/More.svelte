<!-- The end of a list that goes on: how much of it is shown, and the next page. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  interface Props {
    shown: number;
    count: number;
    what?: string;
    more: () => Promise<void>;
  }
  let { shown, count, what = 'items', more }: Props = $props();
  let busy = $state(false);

  async function go() {
    busy = true;
    try {
      await more();
    } finally {
      busy = false;
    }
  }
</script>

<p class="more">
  <span class="figure muted">{shown.toLocaleString('en-GB')} of {count.toLocaleString('en-GB')} {what}</span>
  <Button look="quiet" onclick={go} disabled={busy}>{busy ? 'Loading' : 'Show more'}</Button>
</p>

<style>
  .more {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: var(--s-7);
    padding: var(--s-5) 0;
    border-top: 1px solid var(--line);
  }
</style>
