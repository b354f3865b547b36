<!-- All ways by which somebody gets their link: a letter was one. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly } from '$lib/time';
  import { clock } from '$lib/live.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Tabs from '$lib/ui/Tabs.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  let { line }: { line: string } = $props();
  type Ways = Schemas['WaysView'];
  const path = $derived({ params: { path: { id: line } } });
  const ways = new Resource<Ways>(() => need(api.GET('/api/v1/recipients/{id}/ways', path)));
  $effect(() => {
    if (line) void ways.load();
  });

  let shown = $state('link');
  let copied = $state('');
  let problem = $state('');
  async function copy(text: string) {
    try {
      await navigator.clipboard.writeText(text);
      copied = text;
    } catch {
      problem = 'The browser lets nothing be copied here. Mark it by hand.';
    }
  }

  let code = $state<Schemas['PickupView']>();
  let now = $state(Date.now());
  $effect(() => {
    if (!code) return;
    now = Date.now();
    const timer = setInterval(() => (now = Date.now()), 1000);
    return () => clearInterval(timer);
  });
  const seconds = $derived(code ? Math.max(0, Math.floor((Date.parse(code.until) - now) / 1000)) : 0);
  async function makeCode() {
    try {
      code = await need(api.POST('/api/v1/recipients/{id}/pickup', path));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  const texting = new Form();
  let number = $state('');
  async function send(event: SubmitEvent) {
    event.preventDefault();
    await texting.send(async () => {
      ways.value = await need(api.POST('/api/v1/recipients/{id}/text', { ...path, body: { number } }));
      number = '';
    });
  }

  const naming = new Form();
  let name = $state('');
  async function keep(event: SubmitEvent) {
    event.preventDefault();
    await setName(name);
  }
  const setName = (to: string) =>
    naming.send(async () => {
      ways.value = await need(api.PUT('/api/v1/recipients/{id}/link-name', { ...path, body: { name: to } }));
      name = '';
    });

  function print() {
    const frame = document.createElement('iframe');
    frame.hidden = true;
    frame.src = `/api/v1/recipients/${line}/qr.svg`;
    frame.onload = () => frame.contentWindow?.print();
    document.body.append(frame);
    setTimeout(() => frame.remove(), 60_000);
  }
  const states: Record<string, string> = { waiting: 'on its way', sent: 'the gateway has it', refused: 'did not go' };
  const host = location.host;
</script>

<Wait of={ways} shape="rows">
  {#snippet children(w)}
    {#if !w.open}<p class="late out">
        The package is not out: whoever comes by one of these ways now meets a shut page.
      </p>{/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Tabs
      label="Ways to {w.name}"
      tabs={[
        { id: 'link', name: 'Link' },
        { id: 'code', name: 'On the phone' },
        { id: 'text', name: 'Text message' },
        { id: 'qr', name: 'Picture' },
        { id: 'mail', name: 'Own letter' },
      ]}
      bind:value={shown}
    >
      {#snippet children(tab)}
        <div class="way">
          {#if tab === 'link'}
            <p class="figure secret">{w.named_link || w.link}</p>
            <span class="acts"
              ><Button onclick={() => copy(w.named_link || w.link)}
                >{copied === (w.named_link || w.link) ? 'Copied' : 'Copy the link'}</Button
              ></span
            >
            <h3>To paste into any chat</h3>
            <pre>{w.message}</pre>
            <span class="acts"
              ><Button onclick={() => copy(w.message)}>{copied === w.message ? 'Copied' : 'Copy the message'}</Button
              ></span
            >
            <h3>A name of its own</h3>
            <p class="muted">
              Easier to read out than the secret one, which goes on as well. At an open door it ends in letters that
              nobody guesses.
            </p>
            <form onsubmit={keep}>
              <Field
                aria-label="Name for the link"
                placeholder={w.link_name || 'lifeboat-cut-4'}
                bind:value={name}
                problem={naming.problem}
                maxlength={80}
              />
              <Button disabled={!name.trim() || naming.busy}>Give it that name</Button>
              {#if w.link_name}<Button look="link" onclick={() => setName('')}>Take the name away</Button>{/if}
            </form>
          {:else if tab === 'code'}
            <p>
              Read out a code; {w.name} types it at <strong class="figure">{host}/pickup</strong>. It works once, within
              ten minutes, and they choose there what to take.
            </p>
            {#if code && seconds > 0}
              <p class="code figure" role="status">{code.code}</p>
              <p class="muted figure">good for {Math.floor(seconds / 60)}:{String(seconds % 60).padStart(2, '0')}</p>
            {/if}
            <span class="acts"
              ><Button look={code ? 'plain' : 'main'} onclick={makeCode} disabled={!w.open}
                >{code ? 'Another code' : 'Make a code'}</Button
              ></span
            >
          {:else if tab === 'text'}
            <pre>{w.text}</pre>
            <p class="muted">{w.parts === 1 ? 'Travels as one message.' : `Travels as ${w.parts} messages.`}</p>
            {#if w.may_text}
              <form onsubmit={send}>
                <Field
                  aria-label="Number of {w.name}"
                  placeholder="+44 7700 900123"
                  type="tel"
                  autocomplete="off"
                  bind:value={number}
                  problem={texting.problem}
                />
                <Button look="main" disabled={!number.trim() || texting.busy || !w.open}>Send</Button>
              </form>
              <ul>
                {#each w.texts as t, i (i)}
                  <li>
                    <span class="figure">{t.number}</span>
                    <span class={t.state === 'refused' ? 'wrong' : t.problem ? 'late' : 'muted'}
                      >{states[t.state]}{t.problem ? `. ${t.problem}` : ''}</span
                    >
                    <time class="figure muted" datetime={t.at}>{briefly(new Date(t.at), clock.now)}</time>
                  </li>
                {/each}
              </ul>
            {:else}
              <p class="muted">
                This server has no gateway for text messages. Copy it, and send it from your own phone.
              </p>
              <span class="acts"
                ><Button onclick={() => copy(w.text)}>{copied === w.text ? 'Copied' : 'Copy the text'}</Button></span
              >
            {/if}
          {:else if tab === 'qr'}
            <img
              src="/api/v1/recipients/{line}/qr.svg?{w.link_name}"
              alt="The link of {w.name} as a code for cameras"
            />
            <p class="muted">For a slide, a label or a sheet of paper: a phone that looks at it opens the link.</p>
            <span class="acts">
              <Button onclick={print}>Print it</Button>
              <Button look="link" href="/api/v1/recipients/{line}/qr.svg" download="link of {w.name}.svg"
                >Save as a drawing</Button
              >
            </span>
          {:else}
            <p>
              The letter as a file: your own mail program opens it, and it goes from your own address with what you add
              to it.
            </p>
            <span class="acts"
              ><Button href="/api/v1/recipients/{line}/letter.eml" download>Save the letter</Button></span
            >
          {/if}
        </div>
      {/snippet}
    </Tabs>
  {/snippet}
</Wait>

<style>
  .way {
    display: grid;
    gap: var(--s-4);
    padding-top: var(--s-5);
    min-height: 320px;
    align-content: start;
  }
  h3 {
    font-size: var(--t-control);
    margin-top: var(--s-5);
  }
  .secret,
  pre {
    background: var(--ground);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    padding: var(--s-4) var(--s-5);
    overflow-wrap: anywhere;
    white-space: pre-wrap;
    font-size: var(--t-small);
  }
  pre {
    font-family: inherit;
  }
  .acts,
  form {
    display: flex;
    flex-wrap: wrap;
    align-items: start;
    gap: var(--s-4) var(--s-6);
  }
  form > :global(:first-child) {
    flex: 1 1 220px;
  }
  .code {
    font-size: var(--t-door);
    letter-spacing: 0.06em;
    font-weight: 600;
  }
  img {
    width: 240px;
    height: 240px;
    border: 1px solid var(--line);
  }
  li {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: var(--s-1) var(--s-6);
    padding: var(--s-3) 0;
    border-top: 1px solid var(--line);
    font-size: var(--t-small);
  }
  .out {
    margin-bottom: var(--s-4);
  }
</style>
