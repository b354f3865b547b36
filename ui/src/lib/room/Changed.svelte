<!-- What changed since the version before, as a thin line along the time that is in sight. -->
<script lang="ts">
  import type { Timeline } from '$lib/timecode';
  import { kinds, micros, says, sums, type ChangeMap } from './changed';
  import type { View } from './score';

  let { map, view, line }: { map: ChangeMap; view: View; line: Timeline } = $props();
  const said = $derived(
    sums(map, line)
      .map((s) => `${s.seconds.toFixed(1)} s ${kinds[s.kind]}`)
      .join(', '),
  );
  const x = (frame: number) => ((micros(line, frame) - view.from) / (view.to - view.from)) * 100;
  const seen = $derived(map.stretches.filter((s) => s.kind !== 'same' && x(s.to) >= 0 && x(s.from) <= 100));
</script>

<div class="changed" role="img" aria-label="What changed: {said}">
  {#each seen as s (`${s.kind}${s.from}-${s.old}`)}
    <span
      class={s.kind}
      style:left="{Math.max(0, x(s.from))}%"
      style:width={s.kind === 'gone' ? undefined : `${Math.min(100, x(s.to)) - Math.max(0, x(s.from))}%`}
      title={says(s, line)}
    ></span>
  {/each}
</div>

<style>
  .changed {
    position: relative;
    height: 14px;
    overflow: hidden;
    border-bottom: 1px solid var(--line);
  }
  span {
    position: absolute;
    top: 3px;
    height: 8px;
    min-width: 3px;
  }
  .new {
    background: var(--main);
  }
  .altered {
    background: var(--late);
  }
  .moved {
    background: repeating-linear-gradient(90deg, var(--seen) 0 6px, transparent 6px 9px);
  }
  .gone {
    width: 7px;
    border: 2px solid var(--wrong);
    background: var(--ground);
    translate: -50% 0;
  }
</style>
