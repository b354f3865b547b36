<!-- When it ends: so many days, or a day and an hour in a zone. -->
<script lang="ts">
  import type { Rule } from '$api/client';
  import { zone as here } from '$lib/time';

  let { rule, change }: { rule: Rule; change: (rule: Rule) => void } = $props();
  const days = [3, 7, 14, 30];
  const zones = Intl.supportedValuesOf('timeZone');

  // A week from now at six in the evening, as a start for choosing.
  function someday() {
    const at = new Date(Date.now() + 7 * 86_400_000);
    return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, '0')}-${String(at.getDate()).padStart(2, '0')}T18:00`;
  }
  const zone = $derived(rule.zone || here);
</script>

<div class="choices" role="group" aria-label="Ends">
  {#each days as n (n)}
    <button
      type="button"
      aria-pressed={rule.kind === 'after_days' && rule.days === n}
      onclick={() => change({ kind: 'after_days', days: n, zone })}>{n} days</button
    >
  {/each}
  <button
    type="button"
    aria-pressed={rule.kind === 'at'}
    onclick={() => change({ kind: 'at', local: rule.local || someday(), zone })}>Day and hour</button
  >
</div>
{#if rule.kind === 'at'}
  <div class="at">
    <input
      class="field"
      type="datetime-local"
      aria-label="Day and hour of the end"
      value={rule.local}
      onchange={(e) => change({ kind: 'at', local: e.currentTarget.value, zone })}
    />
    <input
      class="field"
      list="zones"
      aria-label="Time zone of the end"
      value={zone}
      onchange={(e) => change({ kind: 'at', local: rule.local, zone: e.currentTarget.value })}
    />
    <datalist id="zones">
      {#each zones as name (name)}<option value={name}></option>{/each}
    </datalist>
  </div>
{/if}

<style>
  .at {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
</style>
