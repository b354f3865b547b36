<!-- The proof of delivery of a package: to read, to print, and to hand over signed. -->
<script lang="ts">
  import { page } from '$app/state';
  import Sheet from '$lib/proof/Sheet.svelte';
  import type { Proof } from '$lib/proof/proof';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import { untrack } from 'svelte';

  const id = $derived(page.params.id ?? '');
  const base = $derived(`/api/v1/packages/${id}`);
  const made = new Resource<Proof>(async () => {
    const answer = await fetch(`${base}/proof.json`);
    const said = (await answer.json()) as { document?: string; detail?: string };
    if (!answer.ok || !said.document) throw new Error(said.detail ?? 'The proof could not be made. Try again.');
    return JSON.parse(said.document) as Proof;
  });
  $effect(() => {
    if (id) untrack(() => void made.load());
  });
</script>

<svelte:head><title>Proof of delivery · Aftergust</title></svelte:head>

<main class="wide">
  <div class="two">
    <div>
      <Wait of={made} shape="page">
        {#snippet children(proof)}<Sheet {proof} />{/snippet}
      </Wait>
    </div>
    <aside class="noprint">
      <h2>Hand it over</h2>
      <p>
        The PDF holds all of this, signed with the key of your studio. Whoever gets it can check it without you: it says
        itself where it was changed.
      </p>
      <p><Button look="main" href="{base}/proof.pdf" download>Save as PDF</Button></p>
      <p><Button onclick={() => print()}>Print</Button></p>
      <h2>As files</h2>
      <ul>
        <li><Button look="link" href="{base}/proof.json" download>What is signed, as JSON</Button></li>
        <li><Button look="link" href="{base}/ledger.csv" download>The ledger as a table (CSV)</Button></li>
        <li><Button look="link" href="{base}/events.csv" download>The story as a table (CSV)</Button></li>
        <li><Button look="link" href="{base}/ledger.jsonl" download>The ledger, a line of JSON each</Button></li>
        <li><Button look="link" href="{base}/events.jsonl" download>The story, a line of JSON each</Button></li>
      </ul>
      <p class="muted">Times here are on your clock; in the files they are in UTC.</p>
      <p><a href="/packages/{id}">‹ Back to the package</a></p>
    </aside>
  </div>
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 820px) minmax(220px, 300px);
    gap: var(--s-12);
    align-items: start;
  }
  aside {
    position: sticky;
    top: var(--s-7);
    display: grid;
    gap: var(--s-5);
  }
  h2 {
    font-size: var(--t-lead);
  }
  li {
    padding: var(--s-1) 0;
  }
  .muted {
    font-size: var(--t-small);
  }
  @media (--below-wide) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
    aside {
      position: static;
      order: -1;
    }
  }
  @media print {
    .two {
      display: block;
    }
  }
</style>
