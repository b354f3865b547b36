<!-- When it ends: so many days, a day and an hour in a zone, or when people have done something; with the moment that
     comes to, on every clock. -->
<script lang="ts">
  import { api, need, words, type Rule } from '$api/client';
  import { ends as kinds } from '$api/kinds';
  import Choice from '$lib/ui/Choice.svelte';
  import Moment from '$lib/ui/Moment.svelte';
  import Number from '$lib/ui/Number.svelte';
  import Select from '$lib/ui/Select.svelte';
  import { zone as here } from '$lib/time';

  interface Props {
    rule: Rule;
    change: (rule: Rule) => void;
    /** whom it concerns, and where they are */
    people?: { name: string; zone?: string }[];
    /** it may wait for what people do */
    waits?: boolean;
  }
  let { rule, change, people = [], waits = false }: Props = $props();
  const days = [3, 7, 14, 30];
  const waiting = kinds.slice(2);
  const zone = $derived(rule.zone || here);
  const isWaiting = $derived(waiting.some((k) => k.name === rule.kind));
  const chosen = $derived(isWaiting ? 'when' : rule.kind === 'at' ? 'at' : String(rule.days));
  const clocks = $derived(people.flatMap((p) => (p.zone ? [{ who: p.name, zone: p.zone }] : [])));
  let comes = $state('');

  const read = (query: { text?: string; days?: number; usual?: string; zone: string }) =>
    need(
      api.GET('/api/v1/moments', { params: { query: { ...query, also: [...new Set(clocks.map((c) => c.zone))] } } }),
    );
  function pick(to: string) {
    if (to === 'when') wait('when_all_have');
    else if (to !== 'at') change({ kind: 'after_days', days: globalThis.Number(to), zone });
    // A week from now at six in the evening, as a start for choosing.
    else
      void read({ text: 'in 7 days', zone }).then(
        (r) => change({ kind: 'at', local: r.local, zone }),
        () => undefined, // the choice stays where it was
      );
  }
  /** Waits for something, with the numbers that suit it at first. */
  function wait(kind: string) {
    const start = { kind: kind as Rule['kind'], zone, latest: rule.latest || 30 };
    if (kind === 'after_opening') change({ ...start, days: 7 });
    else if (kind === 'after_takings') change({ ...start, people: 1, hold: 1 });
    else change({ ...start, hold: 24 });
  }
  const set = (part: Partial<Rule>) => change({ ...rule, ...part });
  const counts = $derived(isWaiting ? rule.latest : rule.kind === 'after_days' ? rule.days : 0);
  $effect(() => {
    comes = '';
    if (!counts) return;
    let wanted = true;
    void read({ days: counts, zone }).then(
      (r) => wanted && (comes = r.says),
      () => undefined, // the moment is said once more by the Sentence
    );
    return () => (wanted = false);
  });
</script>

<Choice
  label="Ends"
  options={[
    ...days.map((n) => ({ value: String(n), name: `${n} days` })),
    { value: 'at', name: 'Day and hour' },
    ...(waits ? [{ value: 'when', name: 'Once…' }] : []),
  ]}
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
{:else if isWaiting}
  <div class="waits">
    <div>
      <Select
        label="It waits until"
        options={waiting.map((k) => ({ value: k.name, name: k.word }))}
        value={rule.kind}
        pick={wait}
      />
    </div>
    {#if rule.kind === 'after_opening'}
      <Number label="Days after that" value={rule.days ?? 7} min={1} max={365} set={(days) => set({ days })} />
    {:else}
      {#if rule.kind === 'after_takings'}
        <Number
          label="People who have it"
          value={rule.people ?? 1}
          min={1}
          max={500}
          set={(people) => set({ people })}
        />
      {/if}
      <Number label="Hours more" value={rule.hold ?? 0} min={0} max={720} set={(hold) => set({ hold })} />
    {/if}
    <Number label="Latest, in days" value={rule.latest ?? 30} min={1} max={365} set={(latest) => set({ latest })} />
  </div>
  <p class="muted comes">
    {waiting.find((k) => k.name === rule.kind)?.means}{#if comes}&ensp;At the latest, if it went now: {comes}.{/if}
  </p>
{:else if comes}
  <p class="muted comes">If it went now: {comes}.</p>
{/if}

<style>
  .comes {
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
  .waits {
    display: grid;
    grid-template-columns: minmax(0, 1.4fr) repeat(3, minmax(0, 1fr));
    align-items: start;
    gap: var(--s-3) var(--s-5);
    margin-top: var(--s-4);
  }
  @media (--narrow) {
    .waits {
      grid-template-columns: repeat(2, minmax(0, 1fr));
    }
  }
</style>
