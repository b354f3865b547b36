<script lang="ts">
  import { api, need, words, type LedgerData, type Package, type Schemas } from '$api/client';
  import { clock, live } from '$lib/live.svelte';
  import { briefly, inFull } from '$lib/time';

  let { parcel, ledger }: { parcel: Package; ledger: LedgerData } = $props();
  let events = $state<Schemas['EventView'][]>();
  let problem = $state('');

  async function load() {
    try {
      events = (await need(api.GET('/api/v1/packages/{id}/story', { params: { path: { id: parcel.id } } }))) ?? [];
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  load();
  live('/api/v1/live', (change) => change.package === parcel.id && load());

  const sayings: Record<string, (who: string, what: string) => string> = {
    sent: () => 'The package was sent.',
    stopped: () => 'The package was stopped.',
    extended: () => 'The end was changed.',
    cleared: () => 'Its files were deleted.',
    recipient_added: (who) => `${who} was put on the waybill.`,
    recipient_removed: (who) => `${who} was taken off the waybill.`,
    rights_changed: (who) => `The rights of ${who} were changed.`,
    item_withdrawn: (_, what) => `${what} was withdrawn.`,
    reminded: (who) => `${who} was reminded.`,
    opened: (who) => `${who} opened it.`,
    looked: (who, what) => `${who} looked at ${what}.`,
    took: (who, what) => `${who} has ${what} to the last byte.`,
    noted: (who, what) => `${who} left a note on ${what}.`,
    note_done: (_, what) => `A note on ${what} is done.`,
    door_blocked: (who) => `Many wrong tries at the door with the link of ${who}.`,
    asked: (who) => `${who} asked to be let in again.`,
  };
  function say(e: Schemas['EventView']): string {
    const who = ledger.rows.find((r) => r.id === e.recipient)?.name ?? (e.member ? 'The studio' : 'Somebody');
    const what = ledger.items.find((i) => i.version === e.version)?.name ?? 'an item';
    return sayings[e.kind]?.(who, what) ?? e.kind;
  }
</script>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
<ol>
  {#each events ?? [] as e (e.id)}
    <li>
      <time class="figure muted" datetime={e.at} title={inFull(new Date(e.at))}
        >{briefly(new Date(e.at), clock.now)}</time
      >
      {say(e)}
    </li>
  {/each}
</ol>

<style>
  li {
    display: grid;
    grid-template-columns: 110px 1fr;
    padding: 7px 0;
    border-bottom: 1px solid var(--line);
  }
</style>
