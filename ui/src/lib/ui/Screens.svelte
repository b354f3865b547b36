<!-- A page of ours as it stands on a desk and on a phone, small, beside each other. -->
<script lang="ts">
  let { src, name }: { src: string; name: string } = $props();

  const wide = { width: 1280, height: 800 };
  const phone = { width: 390, height: 844 };
  let room = $state(wide.width);
  let side = $state(phone.width);
</script>

<div class="frames">
  {@render screen('On a desk', wide, Math.min(1, room / wide.width))}
  {@render screen('On a phone', phone, Math.min(1, side / phone.width))}
</div>

{#snippet screen(where: string, size: typeof wide, scale: number)}
  <figure>
    <figcaption class="muted">{where}, {size.width} × {size.height}</figcaption>
    {#if size === wide}
      <div class="sheet" bind:clientWidth={room} style:height="{size.height * scale}px">
        {@render page(where, size, scale)}
      </div>
    {:else}
      <div class="sheet" bind:clientWidth={side} style:height="{size.height * scale}px">
        {@render page(where, size, scale)}
      </div>
    {/if}
  </figure>
{/snippet}
{#snippet page(where: string, size: typeof wide, scale: number)}
  <iframe
    title="{where}, {name}"
    {src}
    style:width="{size.width}px"
    style:height="{size.height}px"
    style:transform="scale({scale})"
  ></iframe>
{/snippet}

<style>
  .frames {
    display: grid;
    grid-template-columns: minmax(0, 1280fr) minmax(0, 390fr);
    align-items: start;
    gap: var(--s-9);
  }
  figcaption {
    font-size: var(--t-small);
    margin-bottom: var(--s-3);
  }
  .sheet {
    overflow: hidden;
    border: 1px solid var(--line);
    border-radius: var(--radius);
    background: var(--ground);
  }
  iframe {
    border: 0;
    transform-origin: 0 0;
    display: block;
    max-width: none;
  }
  @media (--narrow) {
    .frames {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
