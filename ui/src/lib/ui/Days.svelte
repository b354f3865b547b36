<!-- A month of days, of which one is chosen. -->
<script lang="ts">
  import Datepicker from 'flowbite-svelte/Datepicker.svelte';
  import { plainDays } from './days';

  interface Props {
    /** the day that is chosen, at noon on this machine's clock */
    value?: Date;
    from?: Date;
    to?: Date;
    pick: (day: Date) => void;
  }
  let { value, from, to, pick }: Props = $props();
</script>

<div class="days" {@attach plainDays}>
  <Datepicker
    inline
    {value}
    availableFrom={from}
    availableTo={to}
    locale="en-GB"
    firstDayOfWeek={1}
    onselect={(day) => day instanceof Date && pick(day)}
    class="days-box"
    classes={{ grid: 'days-grid', nav: 'days-nav', polite: 'days-month', columnHeader: 'days-name', dayButton: 'day' }}
  />
</div>
