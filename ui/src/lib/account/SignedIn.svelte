<!-- Where the member is signed in, and how to end that. -->
<script lang="ts">
  import { api, need } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { clock } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Row from '$lib/ui/Row.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  let { changed, did }: { changed: number; did: () => void } = $props();
  const all = new Resource(() => need(api.GET('/api/v1/account/sessions', {})));
  $effect(() => {
    void changed;
    void all.load();
  });
  const attempts = new Attempt(async () => did());
  const end = (id: string) =>
    attempts.run(() => need(api.DELETE('/api/v1/account/sessions/{id}', { params: { path: { id } } })));
  const endOthers = () => attempts.run(() => need(api.DELETE('/api/v1/account/sessions', {})));
</script>

<section aria-label="Signed in">
  <h2>Signed in</h2>
  <Wait of={all} shape="rows">
    {#snippet children(list)}
      <ul>
        {#each list as one (one.id)}
          <Row title={one.here ? 'This browser' : `On ${one.browser}`}>
            from <span class="figure">{one.source}</span>, since
            <time datetime={one.since} title={inFull(new Date(one.since))}
              >{briefly(new Date(one.since), clock.now)}</time
            >{#if !one.here}, last here
              <time datetime={one.seen_at} title={inFull(new Date(one.seen_at))}
                >{briefly(new Date(one.seen_at), clock.now)}</time
              >{/if}
            {#snippet acts()}
              {#if !one.here}<Button
                  look="link"
                  onclick={() => end(one.id)}
                  aria-label="Sign out the browser on {one.browser} from {one.source}">Sign out</Button
                >{/if}
            {/snippet}
          </Row>
        {/each}
      </ul>
      {#if list.length > 1}<Button onclick={endOthers}>Sign out all but this one</Button>
      {:else}<p class="muted">You are signed in nowhere else.</p>{/if}
      {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
    {/snippet}
  </Wait>
</section>

<style>
  ul {
    margin-bottom: var(--s-6);
  }
</style>
