<!-- A proof of delivery that somebody was shown is checked here, by anybody. -->
<script lang="ts">
  import '$lib/fonts';
  import Sheet from '$lib/proof/Sheet.svelte';
  import type { Proof } from '$lib/proof/proof';
  import Button from '$lib/ui/Button.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  interface Verdict {
    problem: string;
    studio: string;
    key: string;
    document: Proof;
  }
  let verdict = $state<Verdict>();
  let name = $state('');
  let busy = $state(false);
  let problem = $state('');
  let over = $state(false);
  let box = $state<HTMLInputElement>();

  async function check(file: File | undefined) {
    if (!file) return;
    busy = true;
    problem = '';
    verdict = undefined;
    name = file.name;
    try {
      const answer = await fetch('/api/v1/proofs/check', { method: 'POST', body: file });
      const said = (await answer.json()) as Verdict & { detail?: string };
      if (answer.ok) verdict = said;
      else problem = said.detail ?? 'It could not be checked. Try again.';
    } catch {
      problem = 'This server does not answer. Try again; the file stays with you.';
    }
    busy = false;
  }
  function drop(event: DragEvent) {
    event.preventDefault();
    over = false;
    void check(event.dataTransfer?.files[0]);
  }
</script>

<svelte:head><title>Check a proof · Aftergust</title></svelte:head>
<svelte:window
  ondragover={(e) => (e.preventDefault(), (over = true))}
  ondragleave={() => (over = false)}
  ondrop={drop}
/>

<Frame>
  <h1>Check a proof of delivery</h1>
  <p class="say">
    Drop the PDF here, or choose it. Whether it is whole, unchanged and complete is said at once; the file is not kept.
  </p>
  <input
    bind:this={box}
    type="file"
    accept=".pdf,.json,application/pdf,application/json"
    class="visually-hidden"
    tabindex="-1"
    aria-label="File of a proof"
    onchange={(e) => check(e.currentTarget.files?.[0])}
  />
  <p class="act" class:over>
    <Button look="main" disabled={busy} onclick={() => box?.click()}
      >{busy ? 'Checking' : verdict ? 'Check another' : 'Choose a file'}</Button
    >
  </p>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if verdict}
    <div class="verdict" role="status">
      {#if verdict.problem}
        <p class="wrong"><strong>✕ Do not trust {name}.</strong> {verdict.problem}</p>
      {:else if verdict.studio}
        <p class="good"><strong>✓ Whole and unchanged.</strong> {verdict.studio} signed it, on this server.</p>
      {:else}
        <p class="late">
          <strong>Whole and unchanged, but signed elsewhere.</strong> No studio of this server has the key that signed
          it. Ask {verdict.document.studio} whether this key is theirs:
        </p>
        <p class="figure key">{verdict.key}</p>
      {/if}
    </div>
  {/if}
  {#snippet beside()}
    <dl>
      <dt>whole</dt>
      <dd>The signature covers every letter, and events are chained: none can be left out, changed or moved.</dd>
      <dt>whose</dt>
      <dd>Signed with the key of a studio. This server knows those of its own.</dd>
      <dt>offline</dt>
      <dd>
        <span class="figure">aftergust verify-proof FILE</span>, or any program for Ed25519: what is signed lies in the
        PDF.
      </dd>
    </dl>
  {/snippet}
</Frame>
{#if verdict && !verdict.problem}
  <div class="read"><Sheet proof={verdict.document} /></div>
{/if}

<style>
  .act {
    margin-top: var(--s-7);
  }
  .verdict {
    display: grid;
    gap: var(--s-3);
    margin-top: var(--s-6);
  }
  .good strong {
    color: var(--main);
  }
  .key {
    overflow-wrap: anywhere;
    font-size: var(--t-small);
  }
  .over {
    outline: 2px dashed var(--main);
    outline-offset: 6px;
  }
  .read {
    display: grid;
    justify-content: center;
    padding: 0 var(--page) var(--s-13);
  }
</style>
