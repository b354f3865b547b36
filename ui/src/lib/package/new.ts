import { goto } from '$app/navigation';
import { resolve } from '$app/paths';
import { api, need } from '$api/client';

/** Begins a package and goes there. */
export async function newPackage() {
  const made = await need(api.POST('/api/v1/packages', {}));
  await goto(resolve('/(studio)/packages/[id]', { id: made.id }));
}
