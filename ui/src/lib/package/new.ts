import { goto } from '$app/navigation';
import { api, need } from '$api/client';

/** Begins a package and goes there. */
export async function newPackage() {
  const made = await need(api.POST('/api/v1/packages', {}));
  await goto(`/packages/${made.id}`);
}
