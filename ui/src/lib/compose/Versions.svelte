<!-- Which versions people get of what is in the package. -->
<script lang="ts">
  import Choice from '$lib/ui/Choice.svelte';

  let { pins, change }: { pins: boolean; change: (edit: { pins: boolean }) => Promise<void> } = $props();
  const means = {
    now: 'Whoever comes later gets the newest version, and is told of it once.',
    sent: 'Everyone gets the versions that it was sent with, whatever is uploaded later.',
  };
  const chosen = $derived(pins ? 'sent' : 'now');
</script>

<h2>Versions</h2>
<Choice
  label="Versions"
  options={[
    { value: 'now', name: 'Always the current ones', hint: means.now },
    { value: 'sent', name: 'As sent', hint: means.sent },
  ]}
  bind:value={() => chosen, (to) => void change({ pins: to === 'sent' })}
/>
<p class="muted hint">{means[chosen]}</p>

<style>
  h2 {
    font-size: var(--t-lead);
    margin: var(--s-8) 0 var(--s-2);
  }
  .hint {
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
</style>
