<!--
  The Horizon: each package that is out as a line from sending to its end, one
  strand for each recipient. Dotted while they have not everything, solid from
  the moment they do, thin after now. Time runs left to right.
-->
<script lang="ts">
  import type { PackageRow, Strand } from '$api/client';
  import { onDay } from '$lib/time';

  let { rows, now }: { rows: PackageRow[]; now: Date } = $props();
  let width = $state(1216);

  const day = 86_400_000;
  const gutter = 4;
  const tail = 150; // room for the words behind the last end
  const strandGap = 5;
  const labelWidth = 108;

  const from = $derived.by(() => {
    const earliest = Math.min(...rows.map((r) => Date.parse(r.sent_at ?? r.created_at)), now.getTime() - 3 * day);
    return Math.max(earliest - 0.6 * day, now.getTime() - 21 * day);
  });
  const until = $derived.by(() => {
    const latest = Math.max(
      ...rows.map((r) => Date.parse(r.ends_at ?? '')).filter(Number.isFinite),
      now.getTime() + 4 * day,
    );
    return Math.min(latest, now.getTime() + 35 * day);
  });
  const x = (at: number) =>
    gutter + ((Math.min(Math.max(at, from), until) - from) / (until - from)) * (width - gutter - tail);

  const nowX = $derived(x(now.getTime()));

  function nextMidnight(after: number): Date {
    const at = new Date(after);
    return new Date(at.getFullYear(), at.getMonth(), at.getDate() + 1);
  }
  const days = $derived.by(() => {
    const out: { x: number; label: string; week: boolean }[] = [];
    let free = 0; // where the last label ends
    const many = (until - from) / day > 12;
    for (let midnight = nextMidnight(from); midnight.getTime() <= until; midnight = nextMidnight(midnight.getTime())) {
      const week = many ? midnight.getDay() === 1 : true;
      const at = x(midnight.getTime());
      const fits = week && at >= free && (at + labelWidth < nowX - 46 || at > nowX + 46);
      if (fits) free = at + labelWidth;
      out.push({ x: at, label: fits ? onDay(midnight).replace(/,/g, '') : '', week });
    }
    return out;
  });

  interface Drawn {
    row: PackageRow;
    y: number;
    sent: number;
    end: number;
    strands: { strand: Strand; y: number; has: number | null }[];
  }
  const drawn = $derived.by(() => {
    let y = 46;
    return rows.map((row): Drawn => {
      const strands = row.strands.slice(0, 12).map((strand, i) => ({
        strand,
        y: y + 20 + i * strandGap,
        has: has(strand),
      }));
      const entry = {
        row,
        y,
        sent: x(Date.parse(row.sent_at ?? row.created_at)),
        end: x(Date.parse(row.ends_at ?? '')),
        strands,
      };
      y += 34 + Math.max(1, strands.length) * strandGap;
      return entry;
    });
  });
  // Who may only look has what is theirs from the moment they opened it.
  function has(strand: Strand): number | null {
    const since = strand.completed_at ?? (strand.status === 'looked' ? strand.opened_at : null);
    return since ? x(Date.parse(since)) : null;
  }
  const height = $derived((drawn.at(-1)?.y ?? 40) + 40 + (drawn.at(-1)?.strands.length ?? 1) * strandGap);
  const nowLabel = $derived(
    new Intl.DateTimeFormat('en-GB', { weekday: 'short', hour: '2-digit', minute: '2-digit' })
      .format(now)
      .replace(',', ''),
  );
  const told = (row: PackageRow) =>
    `${row.title}: ${row.share}, ${row.left} left. ` + row.strands.map((s) => `${s.name} ${s.saying}`).join('; ');
</script>

<div class="horizon" bind:clientWidth={width} style:height="{height}px">
  <svg {width} {height} aria-hidden="true">
    {#each days as d (d.x)}
      <line class="day" class:week={d.week} x1={d.x} x2={d.x} y1="32" y2={height} />
      {#if d.label}<text class="date" x={d.x + 5} y="24">{d.label}</text>{/if}
    {/each}
    {#each drawn as p (p.row.id)}
      <g class={p.row.state}>
        {#each p.strands as s (s.strand.id)}
          {@const solidFrom = s.has === null ? null : Math.min(s.has, nowX)}
          <line class="waiting" x1={p.sent} x2={solidFrom ?? nowX} y1={s.y} y2={s.y} />
          {#if solidFrom !== null}
            <line class="has" x1={solidFrom} x2={nowX} y1={s.y} y2={s.y} />
            <circle class="dot" cx={solidFrom} cy={s.y} r="3" />
          {/if}
          <line class="ahead" x1={nowX} x2={p.end} y1={s.y} y2={s.y} />
        {/each}
        {#if !p.strands.length}<line class="ahead" x1={p.sent} x2={p.end} y1={p.y + 20} y2={p.y + 20} />{/if}
        <line
          class="end"
          x1={p.end}
          x2={p.end}
          y1={p.y + 15}
          y2={p.y + 25 + Math.max(0, p.strands.length - 1) * strandGap}
        />
      </g>
    {/each}
    <line class="now" x1={nowX} x2={nowX} y1="12" y2={height} />
    <rect class="flag" x={nowX - 46} y="8" width="92" height="21" rx="2" />
    <text class="flagword" x={nowX} y="23">{nowLabel}</text>
  </svg>
  <ul>
    {#each drawn as p (p.row.id)}
      <li>
        <a
          class="title {p.row.state}"
          href="/packages/{p.row.id}"
          style:left="{Math.min(p.sent, width - 240)}px"
          style:top="{p.y - 8}px"
          aria-label={told(p.row)}>{p.row.title}</a
        >
        <span
          class="share {p.row.state}"
          aria-hidden="true"
          style:left="{p.end + 9}px"
          style:top="{p.y + 10 + ((p.strands.length - 1) * strandGap) / 2}px"
        >
          {p.row.share}
        </span>
      </li>
    {/each}
  </ul>
</div>

<style>
  .horizon {
    position: relative;
    border-top: 1px solid var(--ink);
    border-bottom: 1px solid var(--ink);
    overflow: hidden;
  }
  svg {
    position: absolute;
    inset: 0;
  }
  .day {
    stroke: var(--line);
    opacity: 0.45;
  }
  .day.week {
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
  .dot {
    fill: currentColor;
  }
  .ahead {
    stroke: currentColor;
    opacity: 0.45;
  }
  .end {
    stroke: currentColor;
    stroke-width: 2.6;
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
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .title,
  .share {
    position: absolute;
    white-space: nowrap;
    line-height: 20px;
  }
  .title {
    font-weight: 600;
    background: var(--ground);
    padding-right: var(--s-2);
    max-width: 320px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .title:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .share {
    font-size: var(--t-small);
    color: var(--main);
  }
  .share.closing {
    color: var(--late);
  }
</style>
