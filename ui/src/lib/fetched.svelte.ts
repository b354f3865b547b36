/**
 * Fetches what lies at an address, as long as there is one: once for each address, however often the item that it is of
 * is read anew. What comes after another was asked for is dropped. Called while a component is made.
 */
export function fetched(address: () => string, take: (answer: Response) => unknown) {
  const at = $derived(address());
  $effect(() => {
    const asked = at;
    if (asked) void fetch(asked).then((answer) => answer.ok && asked === at && take(answer));
  });
}
