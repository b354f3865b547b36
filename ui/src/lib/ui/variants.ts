type Given = { class?: string } | undefined;

/**
 * Stands in for the library that Flowbite Svelte weighs its classes with. Its classes are never generated, what its
 * parts look like stands in theme.css; of all that it would put together, only the class that our layer gives is left.
 * A part has slots, or is one element (vite.config.ts).
 */
export function tv(slots: string[]) {
  const only = (given?: Given) => given?.class ?? '';
  return (given?: Given) => (slots.length ? Object.fromEntries(slots.map((slot) => [slot, only])) : only(given));
}
