<!-- Which bytes were delivered (the bar), which seconds played (the line under it). -->
<script lang="ts">
  interface Range {
    start: number;
    end: number;
  }
  interface Props {
    bytes: Range[];
    size: number;
    played?: Range[];
    /** milliseconds */
    length?: number;
    complete?: boolean;
    takes?: boolean;
    saying: string;
  }
  let { bytes, size, played = [], length = 0, complete = false, takes = true, saying }: Props = $props();
  // A sliver must still be seen, so nothing is drawn narrower than this. One element with gradients: a ledger has thousands.
  const least = 0.8;
  const drawn = (ranges: Range[], whole: number, colour: string) => {
    if (whole <= 0 || !ranges.length) return '';
    const stops = ranges.map((r) => {
      const from = (r.start / whole) * 100;
      const to = Math.max(from + least, (r.end / whole) * 100);
      return `transparent ${from}%, ${colour} ${from}% ${to}%, transparent ${to}%`;
    });
    return `linear-gradient(90deg, ${stops.join(', ')})`;
  };
  const delivered = $derived(complete ? [{ start: 0, end: 1 }] : bytes);
  const bar = $derived(drawn(delivered, complete ? 1 : size, 'var(--main)'));
  const line = $derived(drawn(played, length, 'var(--seen)'));
</script>

<span
  class="strip"
  class:rail={takes || delivered.length}
  role="img"
  aria-label={saying}
  style:--bar={bar || undefined}
  style:--played={line || undefined}
></span>

<style>
  .strip {
    --edge-line: linear-gradient(var(--perforation) 0 0);
    display: block;
    width: 100%;
    height: 12px;
    background:
      var(--bar, none) 0 0 / 100% 8px no-repeat,
      var(--played, none) 0 100% / 100% 2px no-repeat;
  }
  .rail {
    background:
      var(--bar, none) 0 0 / 100% 8px no-repeat,
      var(--played, none) 0 100% / 100% 2px no-repeat,
      var(--edge-line) 0 0 / 100% 1px no-repeat,
      var(--edge-line) 0 7px / 100% 1px no-repeat,
      var(--edge-line) 0 0 / 1px 8px no-repeat,
      var(--edge-line) 100% 0 / 1px 8px no-repeat,
      linear-gradient(var(--surface) 0 0) 0 0 / 100% 8px no-repeat;
  }
</style>
