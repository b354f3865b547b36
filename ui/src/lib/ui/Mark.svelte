<!-- The mark of Aftergust: wind over a line. -->
<script lang="ts">
  let { width = 26 }: { width?: number } = $props();
</script>

<svg
  {width}
  height={(width * 20) / 26}
  viewBox="0 0 30 22"
  fill="none"
  stroke="currentColor"
  stroke-width="2.4"
  stroke-linecap="round"
  aria-hidden="true"
>
  <path d="M2 19h26" /><path d="M2 12.5h16a4.2 4.2 0 1 0-4.2-4.2" /><path d="M8 6.5h2" />
</svg>
