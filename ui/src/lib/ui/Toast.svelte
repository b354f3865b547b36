<!-- What was just done, said at the foot of the window, with a way to take it back. -->
<script lang="ts">
  import Toast from 'flowbite-svelte/Toast.svelte';
  import type { Snippet } from 'svelte';

  let { children, wrong = false }: { children: Snippet; wrong?: boolean } = $props();
</script>

<Toast
  dismissable={false}
  role={wrong ? 'alert' : 'status'}
  params={{ y: 8, duration: 120 }}
  class="toast {wrong ? 'wrong' : ''}"
  classes={{ content: 'toast-body' }}>{@render children()}</Toast
>
