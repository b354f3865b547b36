<!-- What is used, and how it falls as packages end and are cleared. -->
<script lang="ts">
  import type { DeskData } from '$api/client';
  import { onDay, weight } from '$lib/time';

  let { desk }: { desk: DeskData } = $props();
  const width = 380;
  const height = 56;
  const steps = $derived.by(() => {
    const now = Date.parse(desk.now);
    const freed = [...desk.freed].sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
    const last = Math.max(now + 86_400_000, ...freed.map((f) => Date.parse(f.at)));
    let used = desk.used;
    const top = Math.max(1, desk.used);
    const y = (value: number) => 6 + (1 - value / top) * (height - 16);
    let path = `M0 ${y(used)}`;
    for (const f of freed) {
      const x = ((Date.parse(f.at) - now) / (last - now)) * (width - 14);
      used = Math.max(0, used - f.bytes);
      path += ` H${x} V${y(used)}`;
    }
    return {
      path: path + ` H${width}`,
      first: freed[0],
      total: freed.reduce((sum, f) => sum + f.bytes, 0),
      last: freed.at(-1),
    };
  });
</script>

<p class="figure used">{desk.used_saying}</p>
{#if steps.first && steps.last}
  <svg
    viewBox="0 0 {width} {height}"
    preserveAspectRatio="none"
    role="img"
    aria-label="Space is freed as packages are cleared"
  >
    <line x1="0" x2={width} y1={height - 2} y2={height - 2} />
    <path d={steps.path} />
  </svg>
  <p class="figure muted">
    {weight(steps.first.bytes)} come back on {onDay(new Date(steps.first.at))}, {weight(steps.total)} by {onDay(
      new Date(steps.last.at),
    )}
  </p>
{:else}
  <p class="muted">Everything that is out also lies in a project, so nothing is freed when it ends.</p>
{/if}

<style>
  .used {
    font-size: var(--t-base);
    margin-bottom: var(--s-4);
  }
  svg {
    display: block;
    width: 100%;
    height: 56px;
    margin-bottom: var(--s-4);
  }
  path {
    fill: none;
    stroke: var(--main);
    stroke-width: 2;
    vector-effect: non-scaling-stroke;
  }
  line {
    stroke: var(--ink);
    vector-effect: non-scaling-stroke;
  }
</style>
