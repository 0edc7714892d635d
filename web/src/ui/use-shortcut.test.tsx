import { fireEvent, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { expect, test, vi } from 'vitest';
import { Dialog } from './dialog.js';
import { Popup } from './popup.js';
import { useShortcut } from './use-shortcut.js';

const press = vi.fn();

function Page() {
  useShortcut('a', () => press('a'));
  useShortcut('g>r', () => press('g r'));
  useShortcut('escape', () => press('escape'));
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <button type="button" onClick={() => setOpen(true)}>
        Open the dialog
      </button>
      <Dialog isOpen={isOpen} onOpenChange={setOpen} title="Edit" description="Texts">
        <input type="checkbox" aria-label="Something" />
      </Dialog>
      <Popup name="A popover" button={<button type="button">Open the popover</button>} className="">
        <button type="button">Inside</button>
      </Popup>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger>Open the menu</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content>
            <DropdownMenu.Item>Entry</DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  );
}

const pressEscape = () =>
  fireEvent.keyDown(document.activeElement ?? document.body, { key: 'Escape', code: 'Escape' });

test.each(['dialog', 'popover', 'menu'])('an open %s keeps shortcuts from the page', async (layer) => {
  press.mockClear();
  const user = userEvent.setup();
  render(<Page />);
  await user.click(screen.getByRole('button', { name: `Open the ${layer}` }));
  await user.keyboard('agr');
  expect(press).not.toHaveBeenCalled();
  pressEscape();
  expect(press).not.toHaveBeenCalled();
});

test('one Escape closes the layer, the next one reaches the page', async () => {
  press.mockClear();
  const user = userEvent.setup();
  render(<Page />);
  await user.click(screen.getByRole('button', { name: 'Open the dialog' }));
  pressEscape();
  await vi.waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  expect(press).not.toHaveBeenCalled();
  pressEscape();
  expect(press.mock.calls).toEqual([['escape']]);
});

test('without a layer the page gets its shortcuts', async () => {
  press.mockClear();
  const user = userEvent.setup();
  render(<Page />);
  await user.keyboard('agr');
  expect(press.mock.calls).toEqual([['a'], ['g r']]);
});
