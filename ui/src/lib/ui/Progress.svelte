<!-- How much of something is done. -->
<script lang="ts">
  import Progressbar from 'flowbite-svelte/Progressbar.svelte';

  interface Props {
    /** 0 to 1 */
    done: number;
    /** what is measured */
    label: string;
    class?: string;
  }
  let { done, label, class: where = '' }: Props = $props();
  const percent = $derived(Math.round(Math.min(1, Math.max(0, done)) * 1000) / 10);
</script>

<Progressbar
  progress={percent}
  size=""
  role="progressbar"
  aria-label={label}
  aria-valuemin={0}
  aria-valuemax={100}
  aria-valuenow={percent}
  class="progress {where}"
  classes={{ label: 'progress-done' }}
/>
