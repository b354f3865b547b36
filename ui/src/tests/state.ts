/** Stands for $app/state: the page that is open, which a test sets before it shows one. */
export const page = { url: new URL('http://studio.example/'), params: {} as Record<string, string> };
