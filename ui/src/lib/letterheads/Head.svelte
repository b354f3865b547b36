<!-- One letterhead: what it is made of, and beside it a page and a phone in it. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { typefaces } from '$api/kinds';
  import { Attempt } from '$lib/attempt.svelte';
  import Letterhead from '$lib/recipient/Letterhead.svelte';
  import { dress } from '$lib/recipient/dressed';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Colour from '$lib/ui/Colour.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Select from '$lib/ui/Select.svelte';

  interface Props {
    letterhead: Schemas['LetterheadView'];
    clients: { id: string; name: string }[];
    load: () => Promise<void>;
  }
  let { letterhead, clients, load }: Props = $props();
  const attempts = new Attempt(() => load());
  const path = $derived({ params: { path: { id: letterhead.id } } });
  type Edit = Partial<
    Pick<
      Schemas['LetterheadView'],
      | 'name'
      | 'client'
      | 'main'
      | 'ground'
      | 'band'
      | 'typeface'
      | 'sign_off'
      | 'standard'
      | 'wide_x'
      | 'wide_y'
      | 'phone_x'
      | 'phone_y'
    >
  >;
  const change = (body: Edit) => attempts.run(() => need(api.PATCH('/api/v1/letterheads/{id}', { ...path, body })));
  const remove = () => attempts.run(() => need(api.DELETE('/api/v1/letterheads/{id}', path)));

  let busy = $state('');
  let problem = $state('');
  async function picture(which: 'logo' | 'banner', file: File | null | undefined) {
    busy = which;
    problem = '';
    try {
      const answer = await fetch(`/api/v1/letterheads/${letterhead.id}/${which}`, {
        method: file ? 'PUT' : 'DELETE',
        body: file ?? null,
      });
      if (!answer.ok) {
        const said = (await answer.json().catch(() => null)) as { detail?: string } | null;
        problem = said?.detail ?? 'The picture could not be taken. Try again; nothing was changed.';
      }
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = '';
    await load();
  }
  const colours = [
    { name: 'main', word: 'What one presses' },
    { name: 'ground', word: 'Behind everything' },
    { name: 'band', word: 'Over everything' },
  ] as const;

  let page = $state<HTMLElement>();
  let phone = $state<HTMLElement>();
  $effect(() => {
    const undo = [page, phone].map((sheet) => (sheet ? dress(sheet, letterhead.head) : () => undefined));
    return () => undo.forEach((back) => back());
  });
  /** Puts the point that was pressed in sight. */
  function aim(event: MouseEvent, which: 'wide' | 'phone') {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const x = Math.round(((event.clientX - box.left) / box.width) * 100);
    const y = Math.round(((event.clientY - box.top) / box.height) * 100);
    void change(which === 'wide' ? { wide_x: x, wide_y: y } : { phone_x: x, phone_y: y });
  }
  const studio = $derived(session.member?.studio ?? '');
</script>

<div class="two">
  <div class="made">
    <h2><Editable value={letterhead.name} label="Name" placeholder="Name" save={(name) => change({ name })} /></h2>
    {#if attempts.problem || problem}<p class="problem" role="alert">{attempts.problem || problem}</p>{/if}
    <div class="pictures">
      {#each [{ which: 'logo', word: 'Logo' }, { which: 'banner', word: 'Picture over the page' }] as const as p (p.which)}
        <div>
          <label class="pick">
            <input
              type="file"
              accept="image/*"
              class="visually-hidden"
              aria-label={p.word}
              onchange={(e) => picture(p.which, e.currentTarget.files?.[0])}
            />
            {#if letterhead.head[p.which]}<img src={letterhead.head[p.which]} alt={p.word} />
            {:else}<span>{busy === p.which ? 'Drawing it' : `${p.word}: choose`}</span>{/if}
          </label>
          {#if letterhead.head[p.which]}<Button look="link" onclick={() => picture(p.which, null)}
              >Take the {p.word.toLowerCase()} away</Button
            >{/if}
        </div>
      {/each}
    </div>
    {#if letterhead.head.banner}
      <fieldset>
        <legend>Press what stays in sight</legend>
        {#each [{ which: 'wide', word: 'Wide', x: letterhead.wide_x, y: letterhead.wide_y }, { which: 'phone', word: 'Phone', x: letterhead.phone_x, y: letterhead.phone_y }] as const as p (p.which)}
          <div class="aim">
            <span class="whole" onclick={(e) => aim(e, p.which)} role="presentation">
              <img src={letterhead.head.banner} alt="" /><i style:left="{p.x}%" style:top="{p.y}%"></i>
            </span>
            <span class="figures">
              {p.word}
              <Field
                type="number"
                min="0"
                max="100"
                aria-label="{p.word}, percent from the left"
                value={String(p.x)}
                onchange={(e) =>
                  change(p.which === 'wide' ? { wide_x: +e.currentTarget.value } : { phone_x: +e.currentTarget.value })}
              />
              <Field
                type="number"
                min="0"
                max="100"
                aria-label="{p.word}, percent from the top"
                value={String(p.y)}
                onchange={(e) =>
                  change(p.which === 'wide' ? { wide_y: +e.currentTarget.value } : { phone_y: +e.currentTarget.value })}
              />
            </span>
          </div>
        {/each}
      </fieldset>
    {/if}
    <div class="colours">
      {#each colours as c (c.name)}
        <label>
          <span class="label">{c.word}</span>
          <span class="colour">
            <Colour value={letterhead[c.name]} label="{c.word}, as a colour" pick={(to) => change({ [c.name]: to })} />
            <Field
              aria-label={c.word}
              value={letterhead[c.name]}
              onchange={(e) => change({ [c.name]: e.currentTarget.value })}
              spellcheck={false}
            />
          </span>
        </label>
      {/each}
    </div>
    <ul class="fixes" aria-live="polite">
      {#each letterhead.fixes as fix, i (i)}<li class="late">{fix}</li>{/each}
    </ul>
    <h3>Headings</h3>
    <Choice
      label="Typeface of headings"
      options={typefaces.map((t) => ({ value: t.name, name: t.word, hint: t.means }))}
      bind:value={() => letterhead.typeface, (to) => void change({ typeface: to as typeof letterhead.typeface })}
    />
    <h3>At the end of each page and letter</h3>
    <Editable
      value={letterhead.sign_off}
      label="Line at the end"
      placeholder="Low Tide Pictures, Kelpwick. Films that keep their feet dry."
      save={(sign_off) => change({ sign_off })}
      max={200}
    />
    <h3>For</h3>
    <Select
      aria-label="Client whose packages have it"
      options={[
        { value: '', name: 'No client by itself' },
        ...clients.map((c) => ({ value: c.id, name: `What is of ${c.name}` })),
      ]}
      value={letterhead.client}
      pick={(client) => void change({ client })}
    />
    <p class="acts">
      {#if letterhead.standard}<span class="muted">It is the one for all that have no other.</span>
      {:else}<Button onclick={() => change({ standard: true })}>Make it the standard</Button>{/if}
      <Button look="link" class="gone" onclick={remove}>Delete it</Button>
    </p>
  </div>
  <div class="seen" aria-hidden="true">
    <div class="sheet page" bind:this={page}>{@render sample()}</div>
    <div class="sheet phone" bind:this={phone}>{@render sample()}</div>
  </div>
</div>

{#snippet sample()}
  <Letterhead {studio} head={letterhead.head} />
  <div class="inside">
    <p class="h">Lifeboat, cut 4</p>
    <p class="m">From {session.member?.name}, for you, Hanne Orrick</p>
    <p>The flag is on the right side now, and the music sits under the voice.</p>
    <p class="b">Download everything</p>
    <p class="m"><span class="l">Leave a note</span></p>
    {#if letterhead.sign_off}<p class="m s">{letterhead.sign_off}</p>{/if}
  </div>
{/snippet}

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1.2fr);
    gap: var(--s-12);
    align-items: start;
  }
  .made h2 :global(button) {
    font: 650 var(--t-large) / 1.25 var(--font-display);
    color: var(--ink);
  }
  h3 {
    font-size: var(--t-control);
    margin: var(--s-7) 0 var(--s-3);
  }
  .pictures,
  .colours {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
    gap: var(--s-6);
    margin-top: var(--s-6);
  }
  .pick {
    display: grid;
    place-items: center;
    height: 96px;
    border: 1px dashed var(--perforation);
    border-radius: var(--radius);
    color: var(--muted);
    cursor: pointer;
    overflow: hidden;
    text-align: center;
    padding: var(--s-3);
  }
  .pick:focus-within {
    outline: 2px solid var(--main);
    outline-offset: 2px;
  }
  .pick img {
    width: 100%;
    height: 100%;
    min-height: 0;
    object-fit: contain;
  }
  fieldset {
    border: 0;
    padding: 0;
    margin: var(--s-6) 0 0;
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    gap: var(--s-6);
  }
  legend {
    font-size: var(--t-small);
    color: var(--muted);
    margin-bottom: var(--s-2);
  }
  .whole {
    position: relative;
    display: block;
    cursor: crosshair;
  }
  .whole img {
    width: 100%;
    display: block;
  }
  .whole i {
    position: absolute;
    width: 14px;
    height: 14px;
    border: 2px solid var(--white);
    outline: 2px solid var(--black);
    border-radius: 50%;
    transform: translate(-50%, -50%);
    pointer-events: none;
  }
  .figures {
    display: grid;
    grid-template-columns: auto 1fr 1fr;
    align-items: center;
    gap: var(--s-3);
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
  .colour {
    display: flex;
    gap: var(--s-2);
  }
  .fixes {
    font-size: var(--t-small);
    margin-top: var(--s-4);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    align-items: center;
    gap: var(--s-4);
    margin-top: var(--s-8);
  }
  .acts :global(.gone) {
    color: var(--wrong);
  }
  .seen {
    position: sticky;
    top: var(--s-7);
    display: grid;
    grid-template-columns: minmax(0, 2.4fr) minmax(0, 1fr);
    gap: var(--s-7);
    align-items: start;
  }
  .sheet {
    --page: var(--s-7);

    background: var(--ground);
    color: var(--ink);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    overflow: hidden;
    font-size: var(--t-small);
  }
  .inside {
    padding: var(--s-7);
    display: grid;
    gap: var(--s-4);
    justify-items: start;
  }
  .h {
    font: 650 var(--t-title) / 1.2 var(--font-display);
  }
  .m {
    color: var(--muted);
  }
  .b {
    background: var(--main);
    color: var(--on-main);
    font-weight: 600;
    padding: var(--s-4) var(--s-7);
    border-radius: var(--radius);
  }
  .l {
    color: var(--main);
    font-weight: 600;
    border-bottom: 1px solid;
  }
  .s {
    border-top: 1px solid var(--line);
    padding-top: var(--s-4);
    width: 100%;
  }
  .phone .h {
    font-size: var(--t-large);
  }
  @media (--below-wide) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
