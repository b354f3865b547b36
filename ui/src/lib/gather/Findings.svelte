<!-- What preflight found, the worst first: which files, why, and what to do. -->
<script lang="ts">
  import type { Finding } from '$api/client';
  let { findings, count }: { findings: Finding[]; count: number } = $props();
  const severity = { stops: 'Stops', warns: 'Look at it', tells: 'Good to know' };
  const most = 6;
</script>

{#if findings.length === 0}
  <p class="fine">Nothing looks wrong with {count === 1 ? 'it' : `these ${count} files`}.</p>
{/if}
<ul>
  {#each findings as f, i (i)}
    <li data-severity={f.severity}>
      <strong><span class="shape" aria-hidden="true"></span>{severity[f.severity]}</strong>
      <div>
        <p>{f.why}</p>
        <p class="muted">{f.do}</p>
        <p class="names figure">
          {f.names.slice(0, most).join(', ')}{f.names.length > most ? ` and ${f.names.length - most} more` : ''}
        </p>
      </div>
    </li>
  {/each}
</ul>

<style>
  li {
    display: grid;
    grid-template-columns: 128px 1fr;
    gap: var(--s-5);
    padding: var(--s-5) 0;
    border-bottom: 1px solid var(--line);
    color: var(--ink);
  }
  strong {
    display: flex;
    gap: var(--s-3);
    align-items: baseline;
    font-weight: 600;
  }
  .shape {
    width: 10px;
    height: 10px;
    flex: none;
    background: var(--seen);
    border-radius: 50%;
  }
  [data-severity='warns'] .shape {
    background: var(--late);
    border-radius: 0;
    rotate: 45deg;
  }
  [data-severity='stops'] .shape {
    background: var(--wrong);
    border-radius: 0;
  }
  .names {
    margin-top: var(--s-1);
    overflow-wrap: anywhere;
  }
  .fine {
    padding: var(--s-7) 0;
    color: var(--ink);
  }
  @media (--phone) {
    li {
      grid-template-columns: 1fr;
      gap: var(--s-1);
    }
  }
</style>
