<!-- The page of a package that did not come. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  let { say, again }: { say: string; again: () => Promise<void> } = $props();
  let busy = $state(false);
  async function go() {
    busy = true;
    await again();
    busy = false;
  }
</script>

<Frame>
  <h1>This package does not open at the moment</h1>
  <p class="problem" role="alert">{say}</p>
  <Button look="main" onclick={go} disabled={busy}>{busy ? 'Trying' : 'Try again'}</Button>
  {#snippet beside()}
    <dl>
      <dt>your link</dt>
      <dd>It is as good as before. Keep the letter that it came in.</dd>
      <dt>downloads</dt>
      <dd>What you have of them is yours, and goes on where it stopped.</dd>
    </dl>
  {/snippet}
</Frame>

<style>
  .problem {
    margin: var(--s-6) 0 var(--s-9);
    max-width: 46ch;
  }
</style>
