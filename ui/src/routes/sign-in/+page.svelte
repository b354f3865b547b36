<script lang="ts">
  import '$lib/fonts';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import SignIn from '$lib/SignIn.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  import { api } from '$api/client';
  import { onMount } from 'svelte';

  // Where there is no studio yet, one is founded first.
  onMount(async () => {
    const { data } = await api.GET('/api/v1/found').catch(() => ({ data: undefined }));
    if (data?.open) await goto('/found', { replaceState: true });
  });
  const to = $derived(page.url.searchParams.get('to') ?? '/');
  /** Where somebody was going, if that is a page of ours. */
  function back() {
    const there = URL.canParse(to, location.href) ? new URL(to, location.href) : null;
    return goto(there && to.startsWith('/') && there.origin === location.origin ? there.pathname + there.search : '/');
  }
</script>

<svelte:head><title>Sign in · Aftergust</title></svelte:head>

<Frame>
  <h1>Sign in to your studio</h1>
  <SignIn done={() => back()} />
  <p class="lost"><Button look="link" href="/reset">I do not know my password any more</Button></p>
  {#snippet beside()}
    <dl>
      <dt>waiting here</dt>
      <dd>what you gathered, packed and sent, and who has it</dd>
      <dt>not yours</dt>
      <dd>
        Did somebody send you a package? Open the link in their letter. You need no account, and nothing to install.
      </dd>
      <dt>read out to you</dt>
      <dd>A code of ten letters and digits? <Button look="link" href="/pickup">Type it in here</Button></dd>
    </dl>
  {/snippet}
</Frame>

<style>
  .lost {
    margin-top: var(--s-7);
  }
  h1 {
    margin-bottom: var(--s-8);
  }
</style>
