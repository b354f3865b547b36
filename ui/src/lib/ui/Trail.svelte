<!-- The way down to where one is. -->
<script lang="ts">
  import Breadcrumb from 'flowbite-svelte/Breadcrumb.svelte';
  import BreadcrumbItem from 'flowbite-svelte/BreadcrumbItem.svelte';
  import type { Snippet } from 'svelte';

  interface Step {
    name: string;
    href?: string;
  }
  interface Props {
    label: string;
    steps: Step[];
    /** what stands behind the name of a step */
    after?: Snippet<[Step, number]>;
  }
  let { label, steps, after }: Props = $props();
</script>

<Breadcrumb ariaLabel={label} class="trail" classes={{ list: 'trail-steps' }}>
  {#each steps as step, i (i)}
    <BreadcrumbItem class="trail-step" linkClass="trail-name" spanClass="trail-name" href={step.href}>
      {#snippet icon()}{#if i}<span class="trail-sign" aria-hidden="true">/</span>{/if}{/snippet}
      {step.name}
    </BreadcrumbItem>
    {@render after?.(step, i)}
  {/each}
</Breadcrumb>
