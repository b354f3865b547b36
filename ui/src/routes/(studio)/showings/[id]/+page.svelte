<!-- One showing: what is on it, how it looks, who sees it; and beside that the page itself. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, type Schemas } from '$api/client';
  import { layouts } from '$api/kinds';
  import { Attempt } from '$lib/attempt.svelte';
  import { gather } from '$lib/gather/gather.svelte';
  import { live } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import Order from '$lib/showing/Order.svelte';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Colour from '$lib/ui/Colour.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Screens from '$lib/ui/Screens.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import { untrack } from 'svelte';

  type Showing = Schemas['ShowingView'];
  const id = $derived(page.params.id ?? '');
  const path = $derived({ params: { path: { id } } });
  const shown = new Resource<Showing>(() => need(api.GET('/api/v1/showings/{id}', path)));
  const heads = new Resource(async () => (await need(api.GET('/api/v1/letterheads'))) ?? []);
  void heads.load();
  $effect(() => {
    if (id) untrack(() => void shown.load());
  });
  /** grows with each change, so that the pages beside are drawn anew */
  let edition = $state(0);
  const load = async () => {
    await shown.load();
    edition++;
  };
  live('/api/v1/live', (change) => {
    if (change.what === 'resync' || (change.what === 'showing' && change.package === id)) void load();
  });

  const attempts = new Attempt(async () => undefined);
  const patch = (body: {
    title?: string;
    words?: string;
    layout?: string;
    ground?: string;
    accent?: string;
    letterhead?: string;
    sites?: string;
    name?: string;
    open?: boolean;
  }) => need(api.PATCH('/api/v1/showings/{id}', { ...path, body }));
  const keep = (call: () => Promise<Showing>) =>
    attempts.run(async () => {
      shown.value = await call();
      edition++;
    });
  const change = (body: Parameters<typeof patch>[0]) => keep(() => patch(body));
  const arrange = (order: string[]) =>
    keep(() => need(api.PUT('/api/v1/showings/{id}/pieces', { ...path, body: { order } })));
  const name = (piece: string, title: string) =>
    keep(() =>
      need(api.PATCH('/api/v1/showings/{id}/pieces/{piece}', { params: { path: { id, piece } }, body: { title } })),
    );
  const remove = (piece: string) =>
    keep(() => need(api.DELETE('/api/v1/showings/{id}/pieces/{piece}', { params: { path: { id, piece } } })));
  const forget = () =>
    attempts.run(async () => {
      await need(api.DELETE('/api/v1/showings/{id}', path));
      await goto('/showings');
    });
  async function more(it: Showing) {
    gather.chooseFor({ id, title: it.title, showing: true });
    await goto('/gather?view=below');
  }

  let copied = $state('');
  async function copy(text: string) {
    try {
      await navigator.clipboard.writeText(text);
      copied = text;
    } catch {
      attempts.problem = 'The browser lets nothing be copied here. Mark it by hand.';
    }
  }
  let sites = $state<string>();
  const colours = [
    { name: 'ground', word: 'Behind everything', at: 0 },
    { name: 'accent', word: 'What one presses', at: 1 },
  ] as const;
</script>

<svelte:head><title>{shown.value?.title ?? 'Showing'} · Aftergust</title></svelte:head>

<main class="wide">
  <Wait of={shown} shape="page">
    {#snippet children(it)}
      <div class="headline">
        <h1>
          <Editable value={it.title} label="Title" placeholder="Title" max={120} save={(title) => change({ title })} />
        </h1>
        <span class="acts">
          <Button href="/showings">All showings</Button>
          {#if it.open}<Button onclick={() => change({ open: false })}>Show it no longer</Button>
          {:else}<Button look="main" disabled={!it.items.length} onclick={() => change({ open: true })}
              >Show it to whoever has the link</Button
            >{/if}
        </span>
      </div>
      {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
      <p class="state">
        {#if it.open}
          <span class="figure address">{it.link}</span>
          <Button onclick={() => copy(it.link)}>{copied === it.link ? 'Copied' : 'Copy the link'}</Button>
          <Button look="link" href={it.link} target="_blank" rel="noopener">Open it ↗</Button>
        {:else}
          <span class="muted"
            >Only your studio sees it. {it.items.length
              ? 'Look at it beside this, then show it.'
              : 'Put something on it first.'}</span
          >
        {/if}
      </p>
      <div class="two">
        <div class="made">
          <h2>On it</h2>
          {#if it.items.length}<Order pieces={it.items} {arrange} {name} {remove} />{/if}
          <p><Button look={it.items.length ? 'link' : 'plain'} onclick={() => more(it)}>Choose in Gather</Button></p>

          <h2>Words below the title</h2>
          <Area
            aria-label="Words below the title"
            rows={2}
            value={it.words}
            placeholder="Six films about a lifeboat that floats again."
            onchange={(e) => change({ words: e.currentTarget.value })}
          />

          <h2>How pieces stand</h2>
          <Choice
            label="How pieces stand"
            options={layouts.map((l) => ({ value: l.name, name: l.word, hint: l.means }))}
            bind:value={() => it.layout, (layout) => void change({ layout })}
          />
          <p class="muted hint">{layouts.find((l) => l.name === it.layout)?.means}</p>

          <h2>Colours</h2>
          <div class="colours">
            {#each colours as c (c.name)}
              <div>
                <span class="label">{c.word}</span>
                <span class="colour">
                  <Colour
                    value={it[c.name] || (it.shown[c.at] ?? '')}
                    label="{c.word}, as a colour"
                    pick={(to) => change({ [c.name]: to })}
                  />
                  <Field
                    aria-label={c.word}
                    value={it[c.name]}
                    placeholder="as the letterhead"
                    onchange={(e) => change({ [c.name]: e.currentTarget.value })}
                    spellcheck={false}
                  />
                </span>
              </div>
            {/each}
          </div>
          <ul class="hint" aria-live="polite">
            {#each it.fixes as fix, i (i)}<li class="late">{fix}</li>{/each}
          </ul>
          {#if (heads.value?.length ?? 0) > 1}
            <h2>Letterhead</h2>
            <Select
              aria-label="Letterhead"
              options={[
                { value: '', name: 'The standard one' },
                ...(heads.value ?? []).map((l) => ({ value: l.id, name: l.name })),
              ]}
              value={it.letterhead}
              pick={(letterhead) => void change({ letterhead })}
            />
          {/if}

          <h2>The link</h2>
          <Field
            aria-label="Name of the link"
            value={it.name}
            placeholder="a secret one; or lifeboat-films"
            maxlength={60}
            onchange={(e) => change({ name: e.currentTarget.value })}
            hint="A name is easier to read out, and easier to guess."
          />

          <h2>Within other sites</h2>
          <Area
            aria-label="Sites that may have it within them"
            rows={2}
            value={sites ?? it.sites.join('\n')}
            placeholder="kelpwick.example"
            oninput={(e) => (sites = e.currentTarget.value)}
            onchange={async (e) => {
              await change({ sites: e.currentTarget.value });
              if (!attempts.problem) sites = undefined;
            }}
          />
          <p class="muted hint">
            One in a line. No other site can have it within its pages, and nothing else of yours.
          </p>
          {#if it.embed}
            <pre>{it.embed}</pre>
            <p>
              <Button onclick={() => copy(it.embed)}
                >{copied === it.embed ? 'Copied' : 'Copy what goes into their page'}</Button
              >
            </p>
          {/if}
          <p class="gone"><Button look="link" onclick={forget}>Delete this showing</Button></p>
        </div>
        <div class="seen">
          {#key edition}<Screens src="{new URL(it.link).pathname}?whole&{edition}" name={it.title} />{/key}
        </div>
      </div>
    {/snippet}
  </Wait>
</main>

<style>
  h1 :global(button) {
    font: inherit;
    color: inherit;
    text-align: left;
  }
  h2 {
    font-size: var(--t-lead);
    margin: var(--s-8) 0 var(--s-3);
  }
  .made > h2:first-child {
    margin-top: 0;
  }
  .state {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-3) var(--s-7);
    margin-bottom: var(--s-8);
  }
  .address {
    overflow-wrap: anywhere;
  }
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.5fr);
    gap: var(--s-12);
    align-items: start;
  }
  .seen {
    position: sticky;
    top: var(--s-7);
  }
  .colours {
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    gap: var(--s-6);
  }
  .colour {
    display: flex;
    gap: var(--s-2);
  }
  .hint {
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
  pre {
    margin: var(--s-4) 0;
    padding: var(--s-4) var(--s-5);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    font-family: var(--font-mono);
    font-size: var(--t-small);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .gone {
    margin-top: var(--s-9);
  }
  .gone :global(*) {
    color: var(--wrong);
  }
  @media (--below-wide) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
    .seen {
      position: static;
    }
  }
</style>
