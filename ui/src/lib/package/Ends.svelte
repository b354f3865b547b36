<!-- When it ends: so many days, or a day and an hour in a zone; with the moment that comes to, on every clock. -->
<script lang="ts">
  import { api, need, words, type Rule } from '$api/client';
  import Choice from '$lib/ui/Choice.svelte';
  import Moment from '$lib/ui/Moment.svelte';
  import { zone as here } from '$lib/time';

  interface Props {
    rule: Rule;
    change: (rule: Rule) => void;
    /** whom it concerns, and where they are */
    people?: { name: string; zone?: string }[];
  }
  let { rule, change, people = [] }: Props = $props();
  const days = [3, 7, 14, 30];
  const zone = $derived(rule.zone || here);
  const chosen = $derived(rule.kind === 'at' ? 'at' : String(rule.days));
  const clocks = $derived(people.flatMap((p) => (p.zone ? [{ who: p.name, zone: p.zone }] : [])));
  let comes = $state('');

  const read = (query: { text?: string; days?: number; usual?: string; zone: string }) =>
    need(
      api.GET('/api/v1/moments', { params: { query: { ...query, also: [...new Set(clocks.map((c) => c.zone))] } } }),
    );
  // A week from now at six in the evening, as a start for choosing.
  function pick(to: string) {
    if (to !== 'at') change({ kind: 'after_days', days: Number(to), zone });
    else
      void read({ text: 'in 7 days', zone }).then(
        (r) => change({ kind: 'at', local: r.local, zone }),
        () => undefined, // the choice stays where it was
      );
  }
  $effect(() => {
    comes = '';
    if (rule.kind !== 'after_days' || !rule.days) return;
    let wanted = true;
    void read({ days: rule.days, zone }).then(
      (r) => wanted && (comes = r.says),
      () => undefined, // the moment is said once more by the Sentence
    );
    return () => (wanted = false);
  });
</script>

<Choice
  label="Ends"
  options={[...days.map((n) => ({ value: String(n), name: `${n} days` })), { value: 'at', name: 'Day and hour' }]}
  bind:value={() => chosen, pick}
/>
{#if rule.kind === 'at'}
  <Moment
    label="Day and hour of the end"
    local={rule.local ?? ''}
    {zone}
    {clocks}
    {words}
    read={(text, zone, usual) => read({ text, zone, usual })}
    change={(local, zone) => change({ kind: 'at', local, zone })}
  />
{:else if comes}
  <p class="muted comes">If it went now: {comes}.</p>
{/if}

<style>
  .comes {
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
</style>
