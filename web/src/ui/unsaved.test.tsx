import { fireEvent, screen, waitFor } from '@testing-library/react';
import { useState } from 'react';
import { Link } from 'react-router';
import { expect, test, vi } from 'vitest';
import { MakeKeyDialog } from '../automate/make-key-dialog.js';
import { LeaveGuard } from '../console/leave-guard.js';
import { BulkDialog } from '../library/bulk-dialog.js';
import { answer } from '../testing/fake-client.js';
import { show, showRoutes } from '../testing/render.js';
import { AskDialog } from './ask.js';
import { Dialog } from './dialog.js';
import { useUnsavedChanges } from './unsaved.js';

const pressEscape = () => fireEvent.keyDown(document.activeElement ?? document.body, { key: 'Escape' });

function Form() {
  const [text, setText] = useState('');
  useUnsavedChanges(text === '' ? null : 'The text has not been saved.');
  return <input aria-label="Text" value={text} onChange={(event) => setText(event.target.value)} />;
}

function Page() {
  const [isOpen, setOpen] = useState(true);
  return (
    <Dialog isOpen={isOpen} onOpenChange={setOpen} title="Edit" description="A text">
      <Form />
    </Dialog>
  );
}

const gone = (name: string) => waitFor(() => expect(screen.queryByRole('dialog', { name })).toBeNull());

test('a dialog without changes closes at once', async () => {
  show(<Page />);
  await screen.findByRole('dialog', { name: 'Edit' });
  pressEscape();
  await gone('Edit');
});

test('a dialog with changes asks; staying keeps what was typed, discarding closes it', async () => {
  const { user } = show(<Page />);
  await user.type(await screen.findByLabelText('Text'), 'Storm');
  pressEscape();
  const question = await screen.findByRole('alertdialog', { name: 'Close Edit?' });
  expect(question.textContent).toContain('The text has not been saved.');
  await user.click(screen.getByRole('button', { name: 'Keep editing' }));
  expect((await screen.findByLabelText<HTMLInputElement>('Text')).value).toBe('Storm');
  await user.click(screen.getByRole('button', { name: 'Close' }));
  await user.click(await screen.findByRole('button', { name: 'Discard changes' }));
  await gone('Edit');
});

test('Escape answers the question, and closes nothing else', async () => {
  const { user } = show(<Page />);
  await user.type(await screen.findByLabelText('Text'), 'Storm');
  pressEscape();
  await screen.findByRole('alertdialog');
  pressEscape();
  await waitFor(() => expect(screen.queryByRole('alertdialog')).toBeNull());
  expect(screen.getByRole('dialog', { name: 'Edit' })).toBeTruthy();
});

test('a bulk edit that was typed is not lost by Escape', async () => {
  const { user } = show(
    <BulkDialog selection={{ ids: ['1'] }} count={1} isOpen onOpenChange={vi.fn()} onDone={vi.fn()} />,
  );
  await user.type(await screen.findByLabelText(/capture dates/), '60');
  pressEscape();
  expect((await screen.findByRole('alertdialog')).textContent).toContain('have not been applied');
});

test('the secret of a key is not lost by Escape; its own button closes it', async () => {
  const onClose = vi.fn();
  answer({ 'keys.make': { id: '9', name: 'Nightly import', secret: 'uf_secret' } });
  const { user } = show(<MakeKeyDialog onClose={onClose} />);
  await user.type(await screen.findByLabelText('Name'), 'Nightly import');
  await user.click(screen.getByRole('button', { name: 'Create key' }));
  await screen.findByText('uf_secret');
  pressEscape();
  await user.click(await screen.findByRole('button', { name: 'Keep editing' }));
  expect(onClose).not.toHaveBeenCalled();
  await user.click(screen.getByRole('button', { name: 'Done' }));
  expect(onClose).toHaveBeenCalledOnce();
});

function leavable() {
  return showRoutes(
    [
      {
        path: '/edit',
        element: (
          <>
            <Form />
            <Link to="/other">Away</Link>
            <LeaveGuard />
            <AskDialog />
          </>
        ),
      },
      { path: '/other', element: <p>Another page</p> },
    ],
    { at: '/edit' },
  );
}

test('leaving a page with changes asks, and goes on when they are discarded', async () => {
  const { user } = leavable();
  await user.type(await screen.findByLabelText('Text'), 'Storm');
  await user.click(screen.getByRole('link', { name: 'Away' }));
  await user.click(await screen.findByRole('button', { name: 'Stay' }));
  expect(screen.getByLabelText<HTMLInputElement>('Text').value).toBe('Storm');
  await user.click(screen.getByRole('link', { name: 'Away' }));
  await user.click(await screen.findByRole('button', { name: 'Discard changes' }));
  await screen.findByText('Another page');
});

test('closing the tab is objected to while there are changes, and no longer', async () => {
  const { user } = leavable();
  const isObjected = () => !window.dispatchEvent(new Event('beforeunload', { cancelable: true }));
  const input = await screen.findByLabelText('Text');
  expect(isObjected()).toBe(false);
  await user.type(input, 'Storm');
  expect(isObjected()).toBe(true);
  await user.clear(input);
  expect(isObjected()).toBe(false);
});
