/** Stands for $app/paths: fills parameters in and leaves out groups, as SvelteKit does. */
export const resolve = (route: string, params: Record<string, string> = {}) =>
  route.replace(/\/\(\w+\)/g, '').replace(/\[(\w+)\]/g, (_, name: string) => params[name] ?? '');
