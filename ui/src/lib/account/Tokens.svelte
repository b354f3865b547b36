<!-- Tokens: what programs act with in the member's name. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { scopes } from '$api/kinds';
  import { Attempt } from '$lib/attempt.svelte';
  import { clock } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull, onClock } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Row from '$lib/ui/Row.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  const all = new Resource(() => need(api.GET('/api/v1/account/tokens', {})));
  void all.load();
  const attempts = new Attempt(() => all.load());
  const revoke = (id: string) =>
    attempts.run(() => need(api.DELETE('/api/v1/account/tokens/{id}', { params: { path: { id } } })));

  let making = $state(false);
  let label = $state('');
  let reach = $state<string>('read');
  let days = $state('90');
  let problem = $state('');
  let made = $state<Schemas['NewTokenView']>();
  let copied = $state(false);
  const word = (name: string) => scopes.find((s) => s.name === name)?.word ?? name;

  function begin() {
    label = problem = '';
    made = undefined;
    copied = false;
    making = true;
  }
  async function make(event: SubmitEvent) {
    event.preventDefault();
    try {
      const body = { label, scope: reach as Schemas['TokenView']['scope'], days: Number(days) };
      made = await need(api.POST('/api/v1/account/tokens', { body }));
      problem = '';
      await all.load();
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  async function copy() {
    await navigator.clipboard.writeText(made?.secret ?? '');
    copied = true;
  }
</script>

<section aria-label="Tokens">
  <h2>Tokens</h2>
  <Wait of={all} shape="rows">
    {#snippet children(list)}
      {#if list.length}
        <ul>
          {#each list as token (token.id)}
            <Row title={token.label}>
              {word(token.scope)}, {token.expires_at ? `until ${onClock(new Date(token.expires_at))}` : 'for ever'},
              {#if token.last_used_at}last used
                <time datetime={token.last_used_at} title={inFull(new Date(token.last_used_at))}
                  >{briefly(new Date(token.last_used_at), clock.now)}</time
                >{:else}never used{/if}
              {#snippet acts()}
                <Button look="link" onclick={() => revoke(token.id)} aria-label="Revoke {token.label}">Revoke</Button>
              {/snippet}
            </Row>
          {/each}
        </ul>
      {:else}<p class="muted none">With a token a program of yours uploads, packs and sends in your name.</p>{/if}
      <Button onclick={begin}>Make a token</Button>
      {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
    {/snippet}
  </Wait>
</section>

<Dialog bind:open={making} title={made ? 'Your token' : 'Make a token'} size="small">
  {#if made}
    <div class="ask">
      <p>It is shown this once. Whoever has it acts in your name; keep it where you keep passwords.</p>
      <p class="secret figure">{made.secret}</p>
      <Button look="main" onclick={copy}>{copied ? 'Copied' : 'Copy'}</Button>
    </div>
  {:else}
    <form class="ask" onsubmit={make}>
      <Field label="What it is for" placeholder="overnight renders" bind:value={label} {problem} />
      <Choice
        label="How far it reaches"
        options={scopes.map((s) => ({ value: s.name, name: s.word, hint: s.means }))}
        bind:value={reach}
      />
      <p class="muted">{scopes.find((s) => s.name === reach)?.means}</p>
      <Choice
        label="How long it is good"
        options={[
          { value: '7', name: '7 days' },
          { value: '90', name: '90 days' },
          { value: '365', name: 'a year' },
          { value: '0', name: 'for ever' },
        ]}
        bind:value={days}
      />
      <Button look="main" disabled={!label.trim()}>Make it</Button>
    </form>
  {/if}
</Dialog>

<style>
  ul,
  .none {
    margin: 0 0 var(--s-6);
  }
  .none {
    padding-top: var(--s-4);
  }
  .ask {
    display: grid;
    justify-items: start;
    gap: var(--s-6);
  }
  .ask > :global(.field) {
    width: 100%;
  }
  .secret {
    overflow-wrap: anywhere;
    user-select: all;
    padding: var(--s-5);
    border: 1px dashed var(--perforation);
    width: 100%;
  }
</style>
