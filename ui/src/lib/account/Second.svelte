<!-- What is asked beside the password: codes of an app, passkeys, and what helps when both are lost. -->
<script lang="ts">
  import { api, need, Problem, words, type Schemas } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { count } from '$lib/count';
  import { clock } from '$lib/live.svelte';
  import * as passkey from '$lib/passkey';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Row from '$lib/ui/Row.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  const factors = new Resource(() => need(api.GET('/api/v1/account/factors')));
  void factors.load();
  const attempts = new Attempt(() => factors.load());

  let app = $state<Schemas['AppKeyView']>();
  let making = $state(false);
  let label = $state('');
  let code = $state('');
  let problem = $state('');
  let at = $state('');
  let busy = $state(false);
  /** shown once, right after they were made */
  let codes = $state<string[]>([]);
  let copied = $state(false);

  async function attempt(work: () => Promise<void>) {
    busy = true;
    try {
      await work();
      problem = '';
      await factors.load();
    } catch (thrown) {
      problem = thrown instanceof DOMException ? 'Nothing was made; try again when you want to.' : words(thrown);
      at = thrown instanceof Problem ? thrown.at : '';
    } finally {
      busy = false;
    }
  }
  const beginApp = () =>
    attempts.run(async () => {
      code = problem = '';
      app = await need(api.POST('/api/v1/account/app', {}));
    });
  const confirmApp = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      codes = (await need(api.PUT('/api/v1/account/app', { body: { id: app?.id ?? '', code } }))).recovery;
      app = undefined;
    });
  };
  const removeApp = () => attempts.run(() => need(api.DELETE('/api/v1/account/app', {})));
  const makeKey = (event: SubmitEvent) => {
    event.preventDefault();
    return attempt(async () => {
      const asked = await need(api.POST('/api/v1/account/passkeys', {}));
      const answer = await passkey.make(asked.options);
      codes = (await need(api.PUT('/api/v1/account/passkeys', { body: { id: asked.id, label, answer } }))).recovery;
      making = false;
    });
  };
  const removeKey = (id: string) =>
    attempts.run(() => need(api.DELETE('/api/v1/account/passkeys/{id}', { params: { path: { id } } })));
  const renew = () =>
    attempts.run(async () => {
      codes = (await need(api.POST('/api/v1/account/recovery', {}))).recovery;
    });
  async function copy() {
    await navigator.clipboard.writeText(codes.join('\n'));
    copied = true;
  }
</script>

<section aria-label="Second factor">
  <h2>Second factor</h2>
  <Wait of={factors} shape="rows">
    {#snippet children(have)}
      {@const on = have.app || have.passkeys.length > 0}
      {#if on}
        <ul>
          {#if have.app}
            <Row title="Codes of an app">
              asked for after the password
              {#snippet acts()}<Button look="link" onclick={removeApp} aria-label="Turn off: codes of an app"
                  >Turn off</Button
                >{/snippet}
            </Row>
          {/if}
          {#each have.passkeys as key (key.id)}
            <Row title="Passkey: {key.label}">
              {#if key.last_used_at}last used
                <time datetime={key.last_used_at} title={inFull(new Date(key.last_used_at))}
                  >{briefly(new Date(key.last_used_at), clock.now)}</time
                >{:else}never used{/if}
              {#snippet acts()}<Button
                  look="link"
                  onclick={() => removeKey(key.id)}
                  aria-label="Remove: passkey {key.label}">Remove</Button
                >{/snippet}
            </Row>
          {/each}
          <Row title="Recovery codes">
            <span class:late={have.recovery < 3}>{count(have.recovery, 'code')} left, for when all else is lost</span>
            {#snippet acts()}<Button look="link" onclick={renew}>Make new ones</Button>{/snippet}
          </Row>
        </ul>
      {:else}<p class="muted none">
          Whoever learns your password gets in with it. With a second factor they need something that only you have.
        </p>{/if}
      <p class="ways">
        {#if !have.app}<Button onclick={beginApp}>Use codes of an app</Button>{/if}
        {#if have.possible && passkey.possible()}
          <Button onclick={() => ((label = problem = ''), (making = true))}>Make a passkey</Button>
        {/if}
      </p>
      {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
    {/snippet}
  </Wait>
</section>

<Dialog bind:open={() => app !== undefined, (open) => open || (app = undefined)} title="Codes of an app" size="small">
  {#if app}
    <form class="ask" onsubmit={confirmApp}>
      <p>Let the app read this picture, or type the secret into it. Then say the code that it shows.</p>
      <img src={app.image} alt="The secret, for an app to read" width="174" height="174" />
      <p class="secret figure" aria-label="The secret">{app.secret.match(/.{4}/g)?.join(' ')}</p>
      <Field
        label="Code that it shows now"
        inputmode="numeric"
        autocomplete="one-time-code"
        required
        bind:value={code}
        {problem}
      />
      <Button look="main" disabled={busy || !code}>{busy ? 'Looking' : 'Turn codes on'}</Button>
    </form>
  {/if}
</Dialog>

<Dialog bind:open={making} title="Make a passkey" size="small">
  <form class="ask" onsubmit={makeKey}>
    <p>
      The device keeps it and asks for your finger, your face or its code. It lets you in without the password; the
      password alone does not any more.
    </p>
    <Field
      label="Which device it is on"
      placeholder="the studio’s laptop"
      required
      bind:value={label}
      problem={at === 'label' ? problem : ''}
    />
    {#if problem && at !== 'label'}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main" disabled={busy || !label.trim()}>{busy ? 'The device asks you' : 'Make it'}</Button>
  </form>
</Dialog>

<Dialog
  bind:open={() => codes.length > 0, (open) => open || ((codes = []), (copied = false))}
  title="Your recovery codes"
  size="small"
  permanent
>
  <div class="ask">
    <p>
      They are shown this once. Print them or write them down: when the app and all passkeys are lost, each lets you in
      once.
    </p>
    <ul class="codes figure">
      {#each codes as one (one)}<li>{one}</li>{/each}
    </ul>
    <p class="ways">
      <Button onclick={copy}>{copied ? 'Copied' : 'Copy'}</Button>
      <Button look="main" onclick={() => ((codes = []), (copied = false))}>I have kept them</Button>
    </p>
  </div>
</Dialog>

<style>
  ul,
  .none {
    margin: 0 0 var(--s-6);
  }
  .none {
    padding-top: var(--s-4);
    max-width: 52ch;
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-4);
  }
  .ask {
    display: grid;
    justify-items: start;
    gap: var(--s-5);
  }
  .ask > :global(.field) {
    width: 100%;
  }
  .secret {
    user-select: all;
    overflow-wrap: anywhere;
  }
  img {
    border: 1px solid var(--line);
  }
  .codes {
    columns: 2;
    gap: var(--s-7);
    width: 100%;
    user-select: all;
    margin: 0;
    padding: var(--s-5);
    border: 1px dashed var(--perforation);
  }
  .late {
    color: var(--late);
  }
</style>
