<!-- What stands where something is waited for, or did not come. What is there already stays, with the failure above. -->
<script lang="ts" generics="T">
  import type { Snippet } from 'svelte';
  import Button from './Button.svelte';
  import Skeleton from './Skeleton.svelte';

  interface Props {
    of: { value?: T; problem: string; load: () => Promise<void> };
    shape?: 'lines' | 'rows' | 'page';
    /** what is shown of it; without, it stands elsewhere */
    children?: Snippet<[T]>;
  }
  let { of, shape = 'lines', children }: Props = $props();
</script>

{#if of.problem}
  <div class="problem failed" role="alert">
    <p>{of.problem}</p>
    <Button look="link" onclick={() => void of.load()}>Try again</Button>
  </div>
{/if}
{#if of.value !== undefined}
  {@render children?.(of.value)}
{:else if !of.problem}
  <Skeleton {shape} class="wait" />
{/if}

<style>
  .failed {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-1) var(--s-7);
    align-items: baseline;
    margin: var(--s-5) 0;
  }
</style>
