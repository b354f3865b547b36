<!-- A word in a frame that says what something is. State is a word; colour only helps. -->
<script lang="ts">
  import Badge from 'flowbite-svelte/Badge.svelte';
  import type { Snippet } from 'svelte';

  let { tone = 'plain', children }: { tone?: 'plain' | 'main' | 'late' | 'wrong' | 'seen'; children: Snippet } =
    $props();
</script>

<Badge params={{ duration: 0 }} class="badge {tone}">{@render children()}</Badge>
