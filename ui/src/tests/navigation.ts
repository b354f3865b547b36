import { vi } from 'vitest';

/** Stands for $app/navigation: where a page wanted to go is asked of `goto`. */
export const goto = vi.fn<(to: string | URL, options?: object) => Promise<void>>(() => Promise.resolve());
export const beforeNavigate = vi.fn<(leave: () => void) => void>();
export const afterNavigate = vi.fn<(arrive: () => void) => void>();
