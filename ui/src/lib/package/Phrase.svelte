<!-- A passphrase for a door, and how long it would stand while it is typed. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import Field from '$lib/ui/Field.svelte';

  let {
    parcel,
    value = $bindable(''),
    taken = $bindable(false),
    label,
    placeholder = 'Four words that do not belong together',
  }: {
    /** id of the package whose door it is for */
    parcel: string;
    value?: string;
    /** as far as is known it is good enough to be kept */
    taken?: boolean;
    label?: string;
    placeholder?: string;
  } = $props();

  let strength = $state<Schemas['StrengthView']>();
  $effect(() => {
    const passphrase = value.trim();
    strength = undefined;
    taken = passphrase !== ''; // until something is said: Enter need not wait for it
    if (!passphrase) return;
    const timer = setTimeout(async () => {
      const path = { params: { path: { id: parcel } }, body: { passphrase } };
      const said = await need(api.POST('/api/v1/packages/{id}/passphrase', path)).catch(() => undefined);
      if (passphrase !== value.trim()) return;
      strength = said;
      taken = said?.grade !== 'refused';
    }, 200);
    return () => clearTimeout(timer);
  });
</script>

<div class="phrase">
  <Field
    {label}
    aria-label={label ? undefined : 'Passphrase'}
    autocomplete="off"
    {placeholder}
    bind:value
    hint={strength?.says}
  />
</div>

<style>
  .phrase {
    flex: 1;
    width: 100%;
  }
</style>
