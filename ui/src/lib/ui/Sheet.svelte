<!-- A sheet: a short text with lists to tick, made safe by the server. -->
<script lang="ts">
  let { html, name }: { html: string; name: string } = $props();
</script>

<article class="sheet" aria-label={name}>
  <!-- eslint-disable-next-line svelte/no-at-html-tags -- rendered by the server without raw HTML -->
  {@html html}
</article>

<style>
  .sheet {
    width: min(100%, 640px);
    margin: 0 auto;
    padding: var(--s-10) var(--s-10);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    text-align: left;
    overflow-wrap: anywhere;
  }
  .sheet :global(h1) {
    font-size: var(--t-large);
  }
  .sheet :global(:is(h1, h2, h3, p, ul, ol, table, pre)) {
    margin: 0 0 var(--s-5);
  }
  .sheet :global(ul) {
    list-style: disc;
    padding-left: var(--s-8);
  }
  .sheet :global(ol) {
    list-style: decimal;
    padding-left: var(--s-8);
  }
  .sheet :global(li:has(> input)) {
    list-style: none;
    margin-left: calc(var(--s-8) * -1);
  }
  .sheet :global(input) {
    accent-color: var(--main);
    margin-right: var(--s-3);
  }
  .sheet :global(a) {
    color: var(--main);
    text-decoration: underline;
  }
  .sheet :global(code) {
    font-family: var(--font-mono);
    font-size: var(--t-small);
  }
  .sheet :global(:is(td, th)) {
    border: 1px solid var(--line);
    padding: var(--s-1) var(--s-4);
  }
</style>
