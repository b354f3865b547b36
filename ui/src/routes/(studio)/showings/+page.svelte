<!-- Pages for finished work: which there are, which stand open, and how often somebody came. -->
<script lang="ts">
  import { api, need } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import { count } from '$lib/count';
  import { clock, live } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import { goto } from '$app/navigation';

  const all = new Resource(async () => (await need(api.GET('/api/v1/showings'))) ?? []);
  void all.load();
  live('/api/v1/live', (change) => (change.what === 'showing' || change.what === 'resync') && void all.load());

  const form = new Form();
  let title = $state('');
  function make(event: SubmitEvent) {
    event.preventDefault();
    void form.send(async () => {
      const made = await need(api.POST('/api/v1/showings', { body: { title } }));
      await goto(`/showings/${made.id}`);
    });
  }
</script>

<svelte:head><title>Showings · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <div>
      <h1>Showings</h1>
      <p class="muted">Finished work on a page of your own: people look, and neither download nor comment.</p>
    </div>
    <form onsubmit={make}>
      <Field
        aria-label="Title of a new showing"
        placeholder="Films of the year"
        bind:value={title}
        maxlength={120}
        problem={form.problem}
      />
      <Button look="main" disabled={!title.trim() || form.busy}>New showing</Button>
    </form>
  </div>
  <Wait of={all} shape="rows">
    {#snippet children(list)}
      {#if list.length}
        <ul>
          {#each list as row (row.id)}
            <li>
              <a href="/showings/{row.id}">
                <span class="picture">
                  {#if row.poster}<img src={row.poster} alt="" loading="lazy" />{/if}
                </span>
                <strong>{row.title}</strong>
              </a>
              <p class="muted">
                {count(row.pieces, 'piece')},
                {#if row.open}
                  {row.opened === 0
                    ? 'not opened yet'
                    : row.opened === 1
                      ? 'opened once'
                      : `opened ${row.opened} times`}{#if row.opened_at}, last
                    <time datetime={row.opened_at} title={inFull(new Date(row.opened_at))}
                      >{briefly(new Date(row.opened_at), clock.now)}</time
                    >{/if}
                {:else}your studio only{/if}
              </p>
              {#if row.open}
                <Button look="link" href={row.link} target="_blank" rel="noopener">Open the page ↗</Button>
              {/if}
            </li>
          {/each}
        </ul>
      {:else}
        <div class="none">
          <h2>Show what is done</h2>
          <p>
            Give a page its title, then put films, sound, stills and documents from Gather on it, in their order. It
            stands in your letterhead, and may stand within the site of a client. Originals stay here.
          </p>
          <p><Button href="/gather">Choose in Gather</Button></p>
        </div>
      {/if}
    {/snippet}
  </Wait>
</main>

<style>
  form {
    display: flex;
    align-items: start;
    gap: var(--s-3);
    flex: 0 1 420px;
  }
  form > :global(:first-child) {
    flex: 1;
  }
  ul {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(280px, 1fr));
    gap: var(--s-10) var(--s-9);
  }
  .picture {
    display: block;
    aspect-ratio: 16 / 9;
    margin-bottom: var(--s-4);
    background: var(--empty);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    overflow: hidden;
  }
  .picture img {
    width: 100%;
    height: 100%;
    object-fit: cover;
  }
  li a:hover strong {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  li strong {
    font: 600 var(--t-lead) / 1.3 var(--font-display);
    overflow-wrap: anywhere;
  }
  li p {
    font-size: var(--t-small);
  }
  .none {
    max-width: 56ch;
    display: grid;
    gap: var(--s-5);
    padding: var(--s-9) 0;
  }
</style>
