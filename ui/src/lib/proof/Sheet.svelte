<!-- A proof of delivery as one reads and prints it: who has what, what was sent, what happened. -->
<script lang="ts">
  import { doors, states } from '$api/kinds';
  import { count } from '$lib/count';
  import { inFull, onClock, weight } from '$lib/time';
  import { short } from '$lib/timecode';
  import type { Proof } from './proof';

  let { proof }: { proof: Proof } = $props();
  const named = $derived(Object.fromEntries(proof.items.map((i) => [i.id, i.name])));
  const brief = (moment: string) => onClock(new Date(moment));
  const at = (moment: string | undefined) => (moment ? inFull(new Date(moment)) : '–');
  const word = (list: readonly { name: string; word: string }[], name: string) =>
    list.find((k) => k.name === name)?.word ?? name;
  function has(r: Proof['recipients'][number]) {
    if (r.complete) return 'everything';
    const bytes = r.items.reduce((sum, c) => sum + c.bytes, 0);
    const whole = r.items.filter((c) => c.complete).length;
    if (bytes) return `${whole} of ${count(proof.items.length, 'item')} whole, ${weight(bytes)}`;
    return r.opened_at ? `opened ${brief(r.opened_at)}` : 'nothing yet';
  }
  function cell(c: Proof['recipients'][number]['items'][number]) {
    if (c.complete)
      return `whole ${brief(c.completed_at ?? '')}${c.kept_at ? ', found whole on their disk' : c.by_proxy ? ', as the proxy in front of the server took it' : ''}`;
    if (c.older) return 'an older version';
    return c.bytes || !c.played_ms ? weight(c.bytes) : `played ${short(c.played_ms / 1000)}`;
  }
</script>

<article>
  <header>
    <p class="muted">{proof.studio}</p>
    <h1>Proof of delivery</h1>
    <p class="of">{proof.package.title}</p>
    <dl>
      <dt>from</dt>
      <dd>{proof.package.sender}, {proof.studio}</dd>
      <dt>sent</dt>
      <dd>{at(proof.package.sent_at)}</dd>
      <dt>ends</dt>
      <dd>{at(proof.package.ends_at)}</dd>
      <dt>state</dt>
      <dd>{word(states, proof.package.state)}</dd>
      <dt>door</dt>
      <dd>{word(doors, proof.package.door)}</dd>
      <dt>weight</dt>
      <dd>{weight(proof.package.size)}, {count(proof.items.length, 'item')}</dd>
      <dt>made</dt>
      <dd>{at(proof.made_at)}, by {proof.made_by}</dd>
    </dl>
  </header>

  <h2>Who has what</h2>
  <ul>
    {#each proof.recipients as r (r.id)}
      <li>
        <p class="row">
          <span><strong>{r.name || 'Somebody who was erased'}</strong> <span class="muted">{r.email ?? ''}</span></span>
          <strong class:main={r.complete}>{has(r)}</strong>
        </p>
        {#each r.items as c (c.item)}
          <p class="row small">
            <span>{named[c.item]}</span>
            <span class="figure">{cell(c)}</span>
          </p>
        {/each}
      </li>
    {/each}
  </ul>

  <h2>What was sent</h2>
  <ul>
    {#each proof.items as i (i.id)}
      <li>
        <p class="row"><span>{i.name}</span><span class="figure">version {i.version}, {weight(i.size)}</span></p>
        <p class="figure sum">{i.sha256 ? `SHA-256 ${i.sha256}` : `XXH3-128 ${i.xxh128}`}</p>
      </li>
    {/each}
  </ul>

  <h2>What happened</h2>
  <ol>
    {#each proof.events as e (e.seq)}
      <li class="event">
        <span class="figure muted">{e.seq}</span>
        <time class="figure" datetime={e.at} title={at(e.at)}>{brief(e.at)}</time>
        <span>{e.says}</span>
      </li>
    {/each}
  </ol>
  <p class="figure muted sum">Last event {proof.head}</p>
</article>

<style>
  article {
    max-width: 820px;
    padding: var(--s-10) var(--s-11);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  h1 {
    font: 650 var(--t-door) / 1.1 var(--font-display);
  }
  .of {
    font: 600 var(--t-large) / 1.3 var(--font-display);
    margin: var(--s-2) 0 var(--s-6);
    overflow-wrap: anywhere;
  }
  dl {
    display: grid;
    grid-template-columns: 72px 1fr;
    gap: var(--s-1) var(--s-5);
  }
  dt {
    color: var(--muted);
    font-family: var(--font-mono);
    font-size: var(--t-small);
  }
  h2 {
    font-size: var(--t-large);
    margin: var(--s-10) 0 var(--s-3);
    padding-bottom: var(--s-2);
    border-bottom: 1px solid var(--ink);
  }
  li {
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
    break-inside: avoid;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: 0 var(--s-7);
    overflow-wrap: anywhere;
  }
  .main {
    color: var(--main);
  }
  .small,
  .event {
    font-size: var(--t-small);
  }
  .small {
    padding-left: var(--s-7);
  }
  .sum {
    font-size: var(--t-tiny);
    overflow-wrap: anywhere;
    color: var(--muted);
  }
  .event {
    display: grid;
    grid-template-columns: 32px 130px 1fr;
    gap: var(--s-5);
    padding: var(--s-2) 0;
  }
  @media print {
    article {
      border: 0;
      padding: 0;
      max-width: none;
    }
  }
  @media (--narrow) {
    article {
      padding: var(--s-7);
    }
    .event {
      grid-template-columns: 28px 1fr;
    }
    .event > :last-child {
      grid-column: 2;
    }
  }
</style>
