<!-- What changed since the version before, as a thin line along the time that is in sight. -->
<script lang="ts">
  import type { Timeline } from '$lib/timecode';
  import { micros, says, type ChangeMap } from './changed';
  import type { View } from './score';

  let { map, view, line, go }: { map: ChangeMap; view: View; line: Timeline; go: (us: number) => void } = $props();
  const x = (frame: number) => ((micros(line, frame) - view.from) / (view.to - view.from)) * 100;
  const seen = $derived(map.stretches.filter((s) => s.kind !== 'same' && x(s.to) >= 0 && x(s.from) <= 100));
</script>

<div class="changed" role="group" aria-label="What changed">
  {#each seen as s (`${s.kind}${s.from}-${s.old}`)}
    <button
      class={s.kind}
      style:left="{Math.max(0, x(s.from))}%"
      style:width={s.kind === 'gone' ? undefined : `${Math.min(100, x(s.to)) - Math.max(0, x(s.from))}%`}
      title={says(s, line)}
      aria-label={says(s, line)}
      onclick={() => go(micros(line, s.from))}
    ></button>
  {/each}
</div>

<style>
  .changed {
    position: relative;
    height: 14px;
    overflow: hidden;
    border-bottom: 1px solid var(--line);
  }
  button {
    position: absolute;
    top: 3px;
    height: 8px;
    min-height: 0;
    min-width: 4px;
    padding: 0;
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
  button:hover {
    filter: brightness(1.2);
  }
</style>
