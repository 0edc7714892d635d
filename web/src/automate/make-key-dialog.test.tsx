import { screen, waitFor } from '@testing-library/react';
import { beforeEach, expect, test } from 'vitest';
import { answer, callsOf, forgetAnswers } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { apiKey } from '../testing/samples.js';
import { MakeKeyDialog } from './make-key-dialog.js';

beforeEach(() => {
  forgetAnswers();
  answer({
    'session.me': { kind: 'user', id: '1', name: 'Edda', rights: ['library:read', 'library:write'] },
    'keys.make': { ...apiKey('7'), secret: 'uf_secret' },
  });
});

async function fill(origins: string) {
  const { user } = show(<MakeKeyDialog onClose={() => {}} />);
  await user.type(await screen.findByLabelText('Name'), 'A page');
  if (origins !== '') await user.type(screen.getByLabelText('Web pages that may use it'), origins);
  await user.click(screen.getByRole('button', { name: 'Create key' }));
}

test('a key for pages names their origins, and a mistake in one is said before it is sent', async () => {
  await fill('https://a.example, http://b.example:8080/page');
  expect(await screen.findByText(/http:\/\/b\.example:8080\/page isn't an origin/)).toBeVisible();
  expect(callsOf('keys.make')).toEqual([]);
});

test('origins are sent as a list', async () => {
  await fill('https://a.example  http://b.example:8080');
  await waitFor(() =>
    expect(callsOf('keys.make')[0]?.[0]).toEqual({
      name: 'A page',
      rights: ['library:read', 'library:write'],
      origins: ['https://a.example', 'http://b.example:8080'],
    }),
  );
});

test('a key for scripts has none', async () => {
  await fill('');
  await waitFor(() =>
    expect(callsOf('keys.make')[0]?.[0]).toEqual({
      name: 'A page',
      rights: ['library:read', 'library:write'],
    }),
  );
});
