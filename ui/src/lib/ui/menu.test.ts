import { render, screen } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { tick } from 'svelte';
import { expect, it, vi } from 'vitest';
import Menu from './Menu.svelte';

it('stays folded when its slip says late that it stands open', async () => {
  const done = vi.fn();
  render(Menu, { name: 'More', acts: [{ name: 'To the beginning', do: done }] });
  const button = screen.getByRole('button', { name: 'More' });
  await userEvent.click(button);
  const slip = document.querySelector('.slip')!;
  await userEvent.click(screen.getByText('To the beginning'));
  expect(done).toHaveBeenCalledOnce();
  // As browsers do: queued when the slip was shown, and dispatched after it was folded (HTML, "toggle").
  slip.dispatchEvent(Object.assign(new Event('toggle'), { newState: 'open', oldState: 'closed' }));
  await tick();
  expect(button.getAttribute('aria-expanded')).toBe('false');
});
