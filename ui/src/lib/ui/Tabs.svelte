<!-- Parts of one thing, of which one is in sight. Arrow keys walk them. -->
<script lang="ts">
  import TabItem from 'flowbite-svelte/TabItem.svelte';
  import Tabs from 'flowbite-svelte/Tabs.svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    label: string;
    tabs: { id: string; name: string; note?: string }[];
    value: string;
    /** what is in sight */
    children: Snippet<[string]>;
  }
  let { label, tabs, value = $bindable(), children }: Props = $props();

  function arrow(event: KeyboardEvent) {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!step) return;
    event.preventDefault();
    const at = tabs.findIndex((t) => t.id === value);
    value = tabs[(at + step + tabs.length) % tabs.length]!.id;
    document.getElementById(`tab-${value}`)?.focus();
  }
</script>

<Tabs
  bind:selected={() => `tab-${value}`, (id) => id && (value = id.slice(4))}
  tabStyle="none"
  divider={false}
  aria-label={label}
  onkeydown={arrow}
  class="tabs noprint"
  classes={{ content: 'tab-panel' }}
>
  {#each tabs as tab (tab.id)}
    <TabItem key="tab-{tab.id}" open={tab.id === value} class="tab">
      {#snippet titleSlot()}{tab.name}{#if tab.note}<span class="late note">{tab.note}</span>{/if}{/snippet}
      {@render children(tab.id)}
    </TabItem>
  {/each}
</Tabs>
