<!-- How many rounds were agreed for a project. -->
<script lang="ts">
  import { api, need, words } from '$api/client';
  import Whole from '$lib/ui/Number.svelte';

  let { project, agreed, changed }: { project: string; agreed: number; changed: () => void } = $props();
  let problem = $state('');
  async function set(to: number) {
    problem = '';
    try {
      await need(api.PUT('/api/v1/places/{id}/rounds', { params: { path: { id: project } }, body: { agreed: to } }));
    } catch (thrown) {
      problem = words(thrown);
    }
    changed();
  }
</script>

<Whole label="Rounds agreed for the project; 0 for no number" value={agreed} min={0} max={99} {set} />
{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
