<!-- What takes the space, and what comes back when packages end. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { onDay, weight } from '$lib/time';

  let space = $state<Schemas['Space'] | null>(null);
  let freed = $state<Schemas['FreedView'][]>([]);
  let problem = $state('');

  $effect(() => {
    void (async () => {
      try {
        space = await need(api.GET('/api/v1/space', {}));
        freed = (await need(api.GET('/api/v1/desk', {}))).freed;
      } catch (thrown) {
        problem = words(thrown);
      }
    })();
  });

  const parts = $derived(
    space
      ? [
          { name: 'Current versions', bytes: space.current, shade: 'var(--main)' },
          {
            name: 'Older versions',
            bytes: space.older,
            shade: 'color-mix(in srgb, var(--main) 65%, var(--surface))',
          },
          { name: 'Only in packages', bytes: space.packages, shade: 'var(--seen)' },
          {
            name: 'Previews and proxies',
            bytes: space.made,
            shade: 'color-mix(in srgb, var(--seen) 55%, var(--surface))',
          },
          { name: 'Let go', bytes: space.let_go, shade: 'var(--perforation)' },
          { name: 'Arriving', bytes: space.arriving, shade: 'var(--late)' },
        ].filter((p) => p.bytes > 0)
      : [],
  );
</script>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
{#if space}
  <p class="sum">
    <strong>{weight(space.used)}</strong> of {weight(space.quota)} used, {weight(Math.max(0, space.quota - space.used))} free
  </p>
  <div class="line" role="img" aria-label="{weight(space.used)} of {weight(space.quota)} used">
    {#each parts as p, i (i)}
      <span style:flex-basis="{(p.bytes / space.quota) * 100}%" style:background={p.shade} title={p.name}></span>
    {/each}
  </div>
  <div class="columns">
    <section>
      <h2>What takes it</h2>
      <ul>
        {#each parts as p, i (i)}
          <li>
            <span class="dot" style:background={p.shade}></span>{p.name}<span class="figure">{weight(p.bytes)}</span>
          </li>
        {/each}
      </ul>
      <p class="muted">The same bytes count once, however many things show them.</p>
    </section>
    <section>
      <h2>By client</h2>
      <ul>
        {#each space.places as p, i (i)}
          <li>{p.name}<span class="figure">{weight(p.count)}</span></li>
        {:else}<li class="muted">Nothing yet.</li>{/each}
      </ul>
    </section>
    <section>
      <h2>What comes back</h2>
      <ul>
        {#each freed as f, i (i)}
          <li>{onDay(new Date(f.at))}<span class="figure">{f.saying}</span></li>
        {:else}<li class="muted">No package ends soon.</li>{/each}
      </ul>
      <p class="muted">When a package is cleared, files that lie only in it go. What also lies in a project stays.</p>
    </section>
  </div>
{/if}

<style>
  .sum {
    margin-top: var(--s-8);
    font-size: var(--t-large);
    margin-bottom: var(--s-4);
  }
  .line {
    display: flex;
    height: 18px;
    background: var(--empty);
    border-radius: 2px;
    overflow: hidden;
  }
  .line span {
    min-width: 3px;
  }
  .columns {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
    gap: var(--s-11);
    margin-top: var(--s-10);
  }
  li {
    display: flex;
    gap: var(--s-4);
    align-items: baseline;
    padding: var(--s-2) 0;
    border-bottom: 1px solid var(--line);
  }
  li .figure {
    margin-left: auto;
  }
  .dot {
    width: 10px;
    height: 10px;
    border-radius: 50%;
    flex: none;
  }
  section p {
    margin-top: var(--s-4);
    font-size: var(--t-control);
  }
</style>
