<!-- A sheet: a short text with lists to tick, made safe by the server. -->
<script lang="ts">
  let {
    html,
    name,
    ticked = {},
    tick,
  }: {
    html: string;
    name: string;
    /** what was ticked, by the keys of its tasks, each with who did; an empty text where that needs no word */
    ticked?: Record<string, string>;
    /** ticks a task or takes the tick back; missing where it is only shown */
    tick?: (task: string, done: boolean) => void;
  } = $props();
  let sheet = $state<HTMLElement>();

  const boxes = () => sheet?.querySelectorAll<HTMLInputElement>('input[data-task]') ?? [];
  $effect(() => {
    void html;
    for (const box of boxes()) {
      const by = ticked[box.dataset.task ?? ''];
      box.disabled = !tick;
      box.checked = by !== undefined || box.defaultChecked;
      if (by) box.parentElement?.setAttribute('data-by', by);
      else box.parentElement?.removeAttribute('data-by');
    }
  });
  function change(event: Event) {
    const box = event.target as HTMLInputElement;
    if (box.dataset.task) tick?.(box.dataset.task, box.checked);
  }
</script>

<article class="sheet" aria-label={name} bind:this={sheet} onchange={change}>
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
  .sheet :global(li[data-by])::after {
    content: ' · ' attr(data-by);
    color: var(--muted);
    font-size: var(--t-small);
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
