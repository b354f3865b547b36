<!-- On a phone a file goes to another app by its share sheet; the browser must have it whole before. -->
<script lang="ts">
  import type { GuestItem } from '$api/client';
  import Button from '$lib/ui/Button.svelte';

  let { item, taken }: { item: GuestItem; taken: () => void } = $props();
  let share = $state(-1);
  let file = $state<File>();
  let problem = $state('');
  let stopping: AbortController | undefined;

  async function fetchIt() {
    problem = '';
    share = 0;
    stopping = new AbortController();
    try {
      const answer = await fetch(item.take, { signal: stopping.signal });
      if (!answer.ok || !answer.body) throw new Error(`answered ${answer.status}`);
      const reader = answer.body.getReader();
      const parts: BlobPart[] = [];
      let got = 0;
      for (;;) {
        const { done, value } = await reader.read();
        if (done) break;
        parts.push(value);
        got += value.length;
        share = item.size ? got / item.size : 1;
      }
      file = new File(parts, item.name, { type: item.mime });
      taken();
    } catch {
      if (!stopping.signal.aborted) problem = 'It broke off. Try again, or download it; what you have is safe.';
    }
    share = -1;
  }
  async function pass() {
    if (!file) return;
    try {
      await navigator.share({ files: [file], title: item.name });
    } catch (thrown) {
      // Whoever closes the sheet changed their mind.
      if ((thrown as Error).name !== 'AbortError')
        problem = 'This phone does not pass such a file on. Download it instead.';
    }
  }
</script>

{#if file}
  <Button look="main" onclick={pass} aria-label="Pass {item.name} to an app">To an app</Button>
{:else if share >= 0}
  <Button onclick={() => stopping?.abort()} aria-label="Stop fetching {item.name}"
    ><span class="figure">{Math.floor(share * 100)} %</span></Button
  >
{:else}
  <Button onclick={fetchIt} aria-label="Fetch {item.name} for an app">For an app</Button>
{/if}
{#if problem}<span class="problem" role="alert">{problem}</span>{/if}

<style>
  .problem {
    flex-basis: 100%;
  }
</style>
