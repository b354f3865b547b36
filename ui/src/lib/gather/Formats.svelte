<!-- The formats of one thing, each with its facts; made one, taken, and parted again. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type WholeThing } from '$api/client';
  import type { Attempt } from '$lib/attempt.svelte';
  import { join, takeTogether } from './acts';

  let { thing, attempt }: { thing: WholeThing; attempt: Attempt['run'] } = $props();

  const part = (id: string) => attempt(() => need(api.POST('/api/v1/things/{id}/part', { params: { path: { id } } })));
</script>

<h3>Formats</h3>
{#if thing.lead}
  <p class="muted">It is shown as a format of another thing.</p>
  <Button look="link" onclick={() => part(thing.id)}>Make it a thing of its own</Button>
{/if}
{#if thing.formats.length}
  <ul>
    {#each [thing, ...thing.formats] as f (f.id)}
      <li>
        <span class="line"
          ><strong class="figure">{f.format}</strong>
          <span class="figure muted">{[f.shape, f.length, f.weight].filter(Boolean).join(' · ')}</span></span
        >
        <span class="acts">
          <Button look="link" href="{f.look}original" download aria-label="Take {f.format}">Take</Button>
          {#if f.id !== thing.id}<Button look="link" onclick={() => part(f.id)} aria-label="Part {f.format} from it"
              >Part</Button
            >{/if}
        </span>
      </li>
    {/each}
  </ul>
  <Button look="link" onclick={() => attempt(() => takeTogether({ items: [thing.id], places: [] }))}
    >Take all {thing.formats.length + 1} together</Button
  >
{:else if !thing.lead && !thing.twins.length}
  <p class="muted">Only this one. Choose several formats of one thing in the list to show them as one.</p>
{/if}
{#if thing.twins.length && !thing.lead}
  <p class="offer">
    {thing.twins.map((t) => t.name).join(', ')}
    {thing.twins.length === 1 ? 'looks' : 'look'} like the same thing in another format.
    <Button
      look="link"
      onclick={() =>
        attempt(() =>
          join(
            thing.id,
            thing.twins.map((t) => t.id),
          ),
        )}>Show as one</Button
    >
  </p>
{/if}
