<!-- The chooser of files, or of a folder. Where the browser can, it remembers the way to them for after a reload. -->
<script lang="ts">
  import { choose, chosen, type Found } from '$lib/found';

  let {
    what = 'files',
    as = what,
    found,
  }: {
    what?: 'files' | 'folder' | 'file' | 'picture';
    /** its name for tests */
    as?: string;
    /** called with what was chosen, and with the folders in it, also the empty ones */
    found: (some: Found[], folders: string[]) => void;
  } = $props();
  let input: HTMLInputElement;

  export async function open() {
    const folders: string[] = [];
    const some = what === 'picture' ? null : await choose(what, folders);
    if (!some) input.click();
    else if (some.length || folders.length) found(some, folders);
  }
</script>

<input
  bind:this={input}
  type="file"
  multiple={what === 'files'}
  webkitdirectory={what === 'folder'}
  accept={what === 'picture' ? 'image/*' : undefined}
  hidden
  data-choose={as}
  onchange={() => (input.files?.length && found(chosen(input.files), []), (input.value = ''))}
/>
