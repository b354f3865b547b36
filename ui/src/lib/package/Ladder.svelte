<!-- When those are reminded who have not everything: rungs on the way to the end, which stands at the right. -->
<script lang="ts">
  import { count } from '$lib/count';

  interface Props {
    /** before the end */
    hours: number[];
    change: (hours: number[]) => void;
    label?: string;
  }
  let { hours, change, label = 'Reminders' }: Props = $props();

  const usual = [168, 120, 72, 48, 24, 12, 6, 3, 1];
  const rungs = $derived([...new Set([...usual, ...hours])].sort((a, b) => b - a));
  const brief = (h: number) => (h % 24 ? `${h} h` : `${h / 24} d`);
  const full = (h: number) => (h % 24 ? count(h, 'hour') : count(h / 24, 'day'));
  const toggle = (h: number) =>
    change(hours.includes(h) ? hours.filter((other) => other !== h) : [...hours, h].sort((a, b) => b - a));
</script>

<div class="ladder" role="group" aria-label={label}>
  {#each rungs as h (h)}
    <button
      type="button"
      class="figure"
      aria-pressed={hours.includes(h)}
      disabled={!hours.includes(h) && hours.length >= 6}
      aria-label="{brief(h)} before the end"
      title="{full(h)} before the end"
      onclick={() => toggle(h)}>{brief(h)}</button
    >
  {/each}
  <span class="end" aria-hidden="true"></span>
</div>

<style>
  .ladder {
    position: relative;
    display: flex;
    align-items: stretch;
    justify-content: space-between;
    max-width: 420px;
    padding: 0 var(--s-7) var(--s-5) 0;
  }
  .ladder::after {
    content: '';
    position: absolute;
    left: 0;
    right: 0;
    bottom: 5px;
    border-top: 2px dotted var(--perforation);
  }
  button {
    position: relative;
    min-height: 28px;
    min-width: 30px;
    font-size: var(--t-small);
    color: var(--muted);
  }
  button::after {
    content: '';
    position: absolute;
    z-index: 1;
    left: calc(50% - 4px);
    bottom: -11px;
    width: 8px;
    height: 8px;
    border: 1.5px solid var(--edge);
    border-radius: 50%;
    background: var(--surface);
  }
  button[aria-pressed='true'] {
    color: var(--ink);
    font-weight: 600;
  }
  button[aria-pressed='true']::after {
    border-color: var(--main);
    background: var(--main);
  }
  button:hover:not(:disabled) {
    color: var(--main);
  }
  button:disabled {
    opacity: 0.55;
  }
  .end {
    position: absolute;
    right: 0;
    bottom: -3px;
    width: 3px;
    height: 18px;
    background: var(--ink);
  }
</style>
