<!-- What a link, swatch or sheet says, to be changed in place; each change is a version. -->
<script lang="ts">
  import Area from '$lib/ui/Area.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type WholeThing } from '$api/client';

  let { thing, reload }: { thing: WholeThing; reload: () => Promise<void> } = $props();
  let problem = $state('');
  const key = $derived(({ link: 'url', swatch: 'colour', sheet: 'text', file: 'text' } as const)[thing.kind]);
  const says = $derived(thing.data[key] ?? '');

  let value = $derived(says);

  async function save(event: SubmitEvent) {
    event.preventDefault();
    try {
      await need(
        api.PATCH('/api/v1/things/{id}', { params: { path: { id: thing.id } }, body: { data: { [key]: value } } }),
      );
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
      return;
    }
    await reload();
  }
</script>

<form onsubmit={save}>
  <label class="label" for="says"
    >{{ link: 'Leads to', swatch: 'Colour', sheet: 'Text, in Markdown', file: '' }[thing.kind]}</label
  >
  {#if thing.kind === 'sheet'}
    <Area id="says" rows={9} bind:value />
  {:else}
    <Field id="says" bind:value />
  {/if}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if value !== says}<Button>Save as version {thing.versions + 1}</Button>{/if}
</form>

<style>
  form {
    display: grid;
    gap: var(--s-2);
    margin: var(--s-4) 0;
    justify-items: start;
  }
</style>
