<!-- In which of the studio's letterheads a package goes, where there are several. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import Select from '$lib/ui/Select.svelte';

  let { chosen, change }: { chosen: string; change: (edit: { letterhead: string }) => Promise<void> } = $props();
  let all = $state<Schemas['LetterheadView'][]>([]);
  $effect(() => {
    void need(api.GET('/api/v1/letterheads')).then(
      (found) => (all = found ?? []),
      () => undefined, // it goes in the one that it has
    );
  });
</script>

{#if all.length > 1}
  <h2>Letterhead</h2>
  <Select
    aria-label="Letterhead"
    options={[
      { value: '', name: "That of the client, or the studio's" },
      ...all.map((l) => ({ value: l.id, name: l.name })),
    ]}
    value={chosen}
    pick={(letterhead) => void change({ letterhead })}
  />
{/if}

<style>
  h2 {
    font-size: var(--t-lead);
    margin: var(--s-8) 0 var(--s-2);
  }
</style>
