<!-- How packages are sent, kept under names: set this draft as one of them says, or keep how it is set. -->
<script lang="ts">
  import { api, need, words, type Package, type Schemas } from '$api/client';
  import { undo } from '$lib/undo.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Popover from '$lib/ui/Popover.svelte';

  let { parcel, set }: { parcel: Package; set: (parcel: Package) => void } = $props();
  let presets = $state<Schemas['PresetView'][]>();
  let open = $state(false);
  let keeping = $state(false);
  let name = $state('');
  let problem = $state('');
  const by = (id: string) => ({ params: { path: { id } } });

  async function attempt(work: () => Promise<unknown>) {
    try {
      await work();
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  const load = () => attempt(async () => (presets = (await need(api.GET('/api/v1/presets'))) ?? []));
  $effect(() => {
    if (open) void load();
  });
  const apply = (preset: Schemas['PresetView']) =>
    attempt(async () => {
      const { door, end_rule, pins, rights, cover_letter, reminders } = {
        ...parcel,
        rights: parcel.default_rights,
      };
      set(await need(api.PUT('/api/v1/packages/{id}/preset', { ...by(parcel.id), body: { preset: preset.id } })));
      open = false;
      undo.did(`Set as “${preset.name}” says.`, async () =>
        set(
          await need(
            api.PATCH('/api/v1/packages/{id}', {
              ...by(parcel.id),
              body: { door, end_rule, pins, rights, cover_letter, reminders },
            }),
          ),
        ),
      );
    });
  const forget = (id: string) =>
    attempt(async () => {
      await need(api.DELETE('/api/v1/presets/{id}', by(id)));
      await load();
    });
  async function keep(event: SubmitEvent) {
    event.preventDefault();
    await attempt(async () => {
      await need(api.POST('/api/v1/packages/{id}/presets', { ...by(parcel.id), body: { name } }));
      keeping = false;
      undo.did(`Kept as “${name.trim()}”.`);
    });
  }
</script>

<div class="presets">
  <Popover name="Set as before" look="link" bind:open side="bottom-end">
    <div class="list">
      {#each presets ?? [] as p (p.id)}
        <div class="one">
          <button class="take" onclick={() => apply(p)}
            ><strong>{p.name}</strong> <span class="muted">{p.saying}</span></button
          >
          <Button look="link" onclick={() => forget(p.id)} aria-label="Delete {p.name}">Delete</Button>
        </div>
      {:else}
        {#if presets}<p class="muted">
            Nothing is kept yet. Set door, rights, end and letter once, and keep them under a name.
          </p>{/if}
      {/each}
      <Button
        onclick={() => {
          open = false;
          problem = '';
          keeping = true;
        }}>Keep how this one is set…</Button
      >
      {#if problem && !keeping}<p class="wrong" role="alert">{problem}</p>{/if}
    </div>
  </Popover>
</div>

<Dialog bind:open={keeping} title="Keep how this is set" size="small">
  <form onsubmit={keep}>
    <p class="muted">
      Door, what people may do, end, reminders, versions and the cover letter. People and items are not kept.
    </p>
    <Field label="Name" bind:value={name} maxlength={80} />
    {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
    <Button look="main" disabled={!name.trim()}>Keep</Button>
  </form>
</Dialog>

<style>
  .presets {
    float: right;
  }
  .list {
    display: grid;
    justify-items: start;
    gap: var(--s-3);
    width: min(340px, 80vw);
  }
  .one {
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: var(--s-5);
    width: 100%;
    border-bottom: 1px solid var(--line);
  }
  .take {
    flex: 1;
    text-align: left;
    padding: var(--s-3) 0;
  }
  .take > * {
    display: block;
  }
  .take:hover strong {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .take strong {
    font-weight: 600;
  }
  .take .muted {
    font-size: var(--t-small);
  }
  form {
    display: grid;
    justify-items: start;
    gap: var(--s-6);
  }
</style>
