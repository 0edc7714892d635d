import { screen, waitFor, within } from '@testing-library/react';
import { beforeEach, expect, test, vi } from 'vitest';
import { answer, callsOf, forgetAnswers, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { connection } from '../testing/samples.js';
import { ConnectionDialog } from './connection-dialog.js';
import { ConnectionsPage } from './connections-page.js';

beforeEach(forgetAnswers);

const MEDIA = connection('3', { name: 'Media' });

test('a connection is tested, and each step is shown with its result', async () => {
  answer({
    'connections.list': pageOf([MEDIA]),
    'connections.test': {
      steps: [
        { name: 'resolved', ok: true, message: 'objects.example was found.' },
        { name: 'reached', ok: false, message: "objects.example can't be reached." },
      ],
    },
  });
  const { user } = show(<ConnectionsPage />);
  await user.click(await screen.findByRole('button', { name: 'Test Media' }));
  const result = await screen.findByRole('status', { name: 'Result of the test' });
  expect(within(result).getByText('Host name:')).toBeVisible();
  expect(within(result).getByLabelText('failed')).toBeVisible();
  expect(callsOf('connections.test')[0]?.[0]).toBe('3');
});

test('a connection is deleted after a question, which can be declined', async () => {
  answer({ 'connections.list': pageOf([MEDIA]), 'connections.remove': problem(409, 'It is in use.') });
  const { user } = show(<ConnectionsPage />);
  await user.click(await screen.findByRole('button', { name: 'Delete Media' }));
  await user.click(screen.getByRole('button', { name: 'Keep' }));
  expect(callsOf('connections.remove')).toEqual([]);
  await user.click(screen.getByRole('button', { name: 'Delete Media' }));
  await user.click(screen.getByRole('button', { name: 'Delete connection' }));
  expect(await screen.findByText('It is in use.')).toBeVisible();
  expect(callsOf('connections.remove')[0]?.[0]).toBe('3');
});

const fields = async (user: ReturnType<typeof show>['user'], values: Record<string, string>) => {
  for (const [label, value] of Object.entries(values)) {
    const field = screen.getByRole('textbox', { name: label });
    await user.clear(field);
    await user.type(field, value);
  }
};
const EDITED = { value: MEDIA, etag: '"3.1"' };
const TYPED = {
  Name: 'Archive',
  Endpoint: 'https://objects.example',
  Region: 'farrow-1',
  Bucket: 'lights',
  'Access key': 'keeper',
};

test('a bucket is added only when everything that is needed was entered', async () => {
  const onClose = vi.fn();
  answer({ 'connections.add': MEDIA });
  const { user } = show(<ConnectionDialog connection={null} onClose={onClose} />);
  await user.click(screen.getByRole('button', { name: 'Add bucket' }));
  expect(await screen.findByText('Enter the secret of the access key.')).toBeVisible();
  expect(callsOf('connections.add')).toEqual([]);
  await fields(user, TYPED);
  await user.type(screen.getByLabelText('Secret'), 'lamp');
  await user.click(screen.getByRole('button', { name: 'Add bucket' }));
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(callsOf('connections.add')[0]?.[0]).toMatchObject({
    name: 'Archive',
    settings: { endpoint: 'https://objects.example', bucket: 'lights', publicUrl: null },
    secret: 'lamp',
  });
});

test('settings are tested before they are saved, with the stored secret unless another was entered', async () => {
  const onClose = vi.fn();
  answer({
    'connections.getTagged': EDITED,
    'connections.testSettings': {
      steps: [{ name: 'lists', ok: false, message: 'There is no such bucket.' }],
    },
  });
  const { user } = show(<ConnectionDialog connection={MEDIA} onClose={onClose} />);
  await user.click(await screen.findByRole('button', { name: 'Test' }));
  expect(await screen.findByText(/There is no such bucket/)).toBeVisible();
  expect(callsOf('connections.testSettings')[0]?.[0]).toMatchObject({ id: '3' });
  await user.type(screen.getByLabelText('Secret'), 'lamp');
  await user.click(screen.getByRole('button', { name: 'Test' }));
  await waitFor(() => expect(callsOf('connections.testSettings')).toHaveLength(2));
  expect(callsOf('connections.testSettings')[1]?.[0]).toMatchObject({ secret: 'lamp' });
  expect(onClose).not.toHaveBeenCalled();
});

test('a change keeps the stored secret; what the server refuses stays in the form', async () => {
  const onClose = vi.fn();
  answer({
    'connections.getTagged': EDITED,
    'connections.change': problem(409, 'There is already a connection "Archive".'),
  });
  const { user } = show(<ConnectionDialog connection={MEDIA} onClose={onClose} />);
  await screen.findByRole('textbox', { name: 'Name' });
  await fields(user, { Name: 'Archive' });
  await user.click(screen.getByRole('button', { name: 'Save connection' }));
  expect(await screen.findByText(/already a connection/)).toBeVisible();
  expect(screen.getByRole('textbox', { name: 'Name' })).toHaveValue('Archive');
  const [id, patch, call] = callsOf('connections.change')[0] ?? [];
  expect(call).toMatchObject({ ifMatch: '"3.1"' });
  expect([id, patch]).toMatchObject(['3', { name: 'Archive' }]);
  expect(patch).not.toHaveProperty('secret');
  expect(onClose).not.toHaveBeenCalled();
});
