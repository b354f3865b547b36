<!-- A colour large, with its values to copy and how well text reads on it. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import type { Swatch } from '$api/client';
  let { swatch, name, oncopy }: { swatch: Swatch; name: string; oncopy?: () => void } = $props();
  let copied = $state('');
  const values = $derived([swatch.hex, swatch.rgb, swatch.hsl, swatch.oklch]);

  async function copy(value: string) {
    try {
      await navigator.clipboard.writeText(value);
      copied = value;
      oncopy?.();
    } catch {
      copied = '';
    }
  }
</script>

<div class="card">
  <div class="colour" style:background={swatch.hex} style:color={swatch.ink}>
    <strong>{name}</strong>
    <span class="figure">{swatch.hex}</span>
  </div>
  <ul>
    {#each values as value (value)}
      <li>
        <span class="figure">{value}</span>
        <Button look="link" onclick={() => copy(value)} aria-label="Copy {value}"
          >{copied === value ? 'Copied' : 'Copy'}</Button
        >
      </li>
    {/each}
  </ul>
  <p>{@render chip('black')} black on it: {swatch.on_black}</p>
  <p>{@render chip('white')} white on it: {swatch.on_white}</p>
</div>

{#snippet chip(ink: string)}
  <svg class="chip" width="40" height="26" aria-hidden="true">
    <rect width="40" height="26" rx="2" fill={swatch.hex} />
    <text x="20" y="18" text-anchor="middle" font-weight="600" fill={ink}>Aa</text>
  </svg>
{/snippet}

<style>
  .card {
    width: min(100%, 520px);
    margin: 0 auto;
    text-align: left;
  }
  .colour {
    display: flex;
    flex-direction: column;
    justify-content: flex-end;
    gap: var(--s-0);
    height: 220px;
    padding: var(--s-7);
    border-radius: var(--radius);
  }
  .colour strong {
    font-family: var(--font-display);
    font-size: var(--t-large);
  }
  ul {
    margin: var(--s-4) 0;
  }
  li {
    display: flex;
    justify-content: space-between;
    align-items: center;
    min-height: 38px;
    border-bottom: 1px solid var(--line);
  }
  p {
    margin: var(--s-3) 0;
    font-size: var(--t-control);
  }
  .chip {
    display: inline-block;
    margin-right: var(--s-3);
    font-size: var(--t-base);
  }
</style>
