<!-- What the Horizon draws: time, strands and bands, ends, reminders to come, and now. -->
<script lang="ts">
  import * as of from './horizon';

  interface Props {
    sheet: of.Sheet;
    days: { x: number; label: string; strong: boolean }[];
    width: number;
    x: (at: number) => number;
    inside: (at: number) => boolean;
    endOf: (row: of.Line['row']) => number;
    /** the package whose end is being moved */
    held: string;
    now: Date;
  }
  let { sheet, days, width, x, inside, endOf, held, now }: Props = $props();

  const nowX = $derived(x(now.getTime()));
  const flag = $derived(
    new Intl.DateTimeFormat('en-GB', { weekday: 'short', hour: '2-digit', minute: '2-digit' })
      .format(now)
      .replace(',', ''),
  );

  /** A band that fills as people have what is theirs. */
  function filled(l: of.Line): string {
    const many = l.row.strands.length;
    const bottom = l.y + l.height;
    let path = '';
    let before = bottom;
    for (const { at, have } of of.risings(l.row.strands)) {
      const to = bottom - (have / many) * l.height;
      path += path ? `H${x(at)}V${to}` : `M${x(at)} ${bottom}V${to}`;
      before = to;
    }
    return path && before < bottom ? `${path}H${nowX}V${bottom}Z` : '';
  }
</script>

<svg {width} height={sheet.height} aria-hidden="true">
  {#each days as d (d.x)}
    <line class="midnight" class:week={d.strong} x1={d.x} x2={d.x} y1="32" y2={sheet.height} />
    {#if d.label}<text class="date" x={d.x + 5} y="24">{d.label}</text>{/if}
  {/each}
  {#each sheet.heads as head (head.group.client)}
    {#if head.shut}
      {#each head.group.rows as row (row.id)}
        {#if inside(of.ends(row))}
          <line class="far" x1={x(of.ends(row))} x2={x(of.ends(row))} y1={head.top + 4} y2={head.top + 18} />
        {/if}
      {/each}
    {/if}
    {#each head.lines as p (p.row.id)}
      {@const sent = x(Date.parse(p.row.sent_at ?? p.row.created_at))}
      {@const end = x(endOf(p.row))}
      {@const bottom = p.y + p.height}
      <g class={p.row.state}>
        {#if p.band}
          <rect class="empty" x={sent} y={p.y} width={Math.max(0, nowX - sent)} height={p.height} />
          <path class="filled" d={filled(p)} />
          <line class="waiting" x1={sent} x2={nowX} y1={p.y} y2={p.y} />
          <line class="ahead" x1={nowX} x2={end} y1={p.y} y2={p.y} />
          <line class="ahead" x1={nowX} x2={end} y1={bottom} y2={bottom} />
        {:else}
          {#each p.row.strands as s, i (s.id)}
            {@const y = p.y + i * of.gap}
            {@const has = of.has(s)}
            {@const solid = has === null ? nowX : Math.min(x(has), nowX)}
            <line class="waiting" x1={sent} x2={solid} y1={y} y2={y} />
            {#if has !== null}
              <line class="has" x1={solid} x2={nowX} y1={y} y2={y} />
              {#if inside(has)}<circle class="dot" cx={solid} cy={y} r="3" />{/if}
            {/if}
            <line class="ahead" x1={nowX} x2={end} y1={y} y2={y} />
          {/each}
          {#if !p.row.strands.length}<line class="ahead" x1={sent} x2={end} y1={p.y} y2={p.y} />{/if}
        {/if}
        {#each of.reminders(p.row, now.getTime()) as due, i (i)}
          {#if inside(due)}<path class="due" d="M{x(due)} {bottom + 3}v5" />{/if}
        {/each}
        {#if inside(endOf(p.row))}<line class="end" x1={end} x2={end} y1={p.y - 5} y2={bottom + 5} />{/if}
        {#if held === p.row.id && inside(of.ends(p.row))}
          <line class="was" x1={x(of.ends(p.row))} x2={x(of.ends(p.row))} y1={p.y - 5} y2={bottom + 5} />
        {/if}
      </g>
    {/each}
  {/each}
  {#if inside(now.getTime())}
    <line class="now" x1={nowX} x2={nowX} y1="12" y2={sheet.height} />
    <rect class="flag" x={nowX - 46} y="8" width="92" height="21" rx="2" />
    <text class="flagword" x={nowX} y="23">{flag}</text>
  {/if}
</svg>

<style>
  svg {
    position: absolute;
    inset: 0;
  }
  .midnight {
    stroke: var(--line);
    opacity: 0.45;
  }
  .midnight.week {
    opacity: 1;
  }
  .date {
    font: var(--t-tiny) var(--font-mono);
    fill: var(--muted);
  }
  g {
    color: var(--main);
  }
  g.closing {
    color: var(--late);
  }
  .waiting {
    stroke: currentColor;
    stroke-width: 1.8;
    stroke-dasharray: 1.8 4;
  }
  .has {
    stroke: currentColor;
    stroke-width: 2.6;
  }
  .dot,
  .filled {
    fill: currentColor;
  }
  .empty {
    fill: currentColor;
    opacity: 0.1;
  }
  .ahead {
    stroke: currentColor;
    opacity: 0.45;
  }
  line.end {
    stroke: currentColor;
    stroke-width: 2.6;
  }
  .was {
    stroke: currentColor;
    stroke-dasharray: 2 2;
  }
  .due {
    stroke: currentColor;
    stroke-width: 1.6;
  }
  .far {
    stroke: var(--main);
    stroke-width: 1.6;
    opacity: 0.7;
  }
  .now {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .flag {
    fill: var(--ink);
  }
  .flagword {
    font: var(--t-tiny) var(--font-mono);
    fill: var(--ground);
    text-anchor: middle;
  }
</style>
