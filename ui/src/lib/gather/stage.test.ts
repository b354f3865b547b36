import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { expect, it } from 'vitest';
import type { WholeThing } from '$api/client';
import { thing } from '../../tests/made';
import Stage from './Stage.svelte';

const paper = (name: string, look: string) =>
  ({ ...thing(name, { pages: 4, look, version: look }), all_versions: [] }) as unknown as WholeThing;

it('stays at its page where the list is read anew, and begins another piece at its first', async () => {
  const shown = render(Stage, { thing: paper('brief.pdf', '/look/brief/') });
  await userEvent.click(screen.getByRole('button', { name: 'Next page' }));
  await shown.rerender({ thing: paper('brief.pdf', '/look/brief/') });
  expect(screen.getByRole('img', { name: 'brief.pdf, page 2' })).toHaveAttribute('src', '/look/brief/page-2');
  await shown.rerender({ thing: paper('plan.pdf', '/look/plan/') });
  expect(await screen.findByRole('img', { name: 'plan.pdf, page 1' })).toBeVisible();
});
