import '@testing-library/jest-dom/vitest';
import { configure } from '@testing-library/svelte';
import { afterEach, vi } from 'vitest';
import { studio } from './studio';

// Addresses without a host are those of the studio.
const Plain = globalThis.Request;
globalThis.Request = class extends Plain {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === 'string' ? new URL(input, 'http://studio.example') : input, init);
  }
};
globalThis.fetch = studio.fetch;

// A busy machine is no mistake: what is waited for may take this long, in milliseconds, where nothing else is said.
const patience = 20_000;
configure({ asyncUtilTimeout: patience });
const { waitFor } = vi;
vi.waitFor = (check, options = patience) => waitFor(check, options);

afterEach(() => {
  studio.forget();
  vi.restoreAllMocks();
});

// What a page of tests lacks.
if (globalThis.Element) {
  Element.prototype.scrollIntoView = () => undefined;
  window.scrollTo = () => undefined;
  window.ResizeObserver ??= class {
    observe = () => undefined;
    unobserve = () => undefined;
    disconnect = () => undefined;
  };
  Element.prototype.animate ??= () =>
    ({ cancel: () => undefined, finished: Promise.resolve() }) as unknown as Animation;
  window.matchMedia ??= (media) =>
    ({ media, matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }) as never;
  HTMLDialogElement.prototype.showModal ??= function (this: HTMLDialogElement) {
    this.open = true;
  };
  HTMLDialogElement.prototype.close ??= function (this: HTMLDialogElement) {
    this.open = false;
    this.dispatchEvent(new Event('close'));
  };
  // Slips lie above everything in browsers; here they are only shown.
  globalThis.CSS ??= { escape: (text: string) => text.replace(/[^\w-]/g, '\\$&') } as typeof CSS;
  HTMLElement.prototype.showPopover ??= () => undefined;
  HTMLElement.prototype.hidePopover ??= () => undefined;
}
