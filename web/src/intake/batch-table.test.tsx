import { screen, waitFor, within } from '@testing-library/react';
import type { ReasonCode, Verdict } from '@uniferum/core/intake';
import { beforeEach, expect, test } from 'vitest';
import { answer, callsOf, pageOf } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { folder } from '../testing/samples.js';
import { BatchTable } from './batch-table.js';
import { useUploads } from './uploads.js';

const verdict = (name: string, code?: ReasonCode): Verdict => ({
  name,
  outcome: code ? 'refused' : 'accepted',
  reasons: code
    ? [{ code, message: `${name} is refused.`, limit: null, actual: null, folder: '/lights' }]
    : [],
});

function Batch() {
  return <BatchTable uploads={useUploads((state) => state.uploads)} />;
}

const add = (...names: string[]) =>
  useUploads.getState().add(
    '/lights',
    names.map((name) => new File(['x'], name)),
    { unpack: false },
  );
const rows = () => within(screen.getByRole('region', { name: 'This batch' })).getAllByRole('listitem');

beforeEach(() => {
  useUploads.setState({ uploads: [] });
  answer({
    'folders.list': pageOf([folder('/'), folder('/lights'), folder('/papers')]),
    'intakes.begin': { id: '7' },
    'intakes.checkIn': (_id: string, { files }: { files: { name: string }[] }) => ({
      verdicts: files.map(({ name }) =>
        verdict(name, /exe$/.test(name) ? 'type-denied' : /^full/.test(name) ? 'too-many' : undefined),
      ),
    }),
    'assets.upload': ({ files }: { files: { name: string }[] }) =>
      files.map(({ name }, n) => ({ name, verdict: verdict(name), asset: { id: String(n) } })),
  });
});

test('says what came of the batch and why, and shows a part of it', async () => {
  const { user } = show(<Batch />);
  add('a.jpg', 'full-1.jpg', 'full-2.jpg', 'b.exe');
  await screen.findByText('4 of 4 checked');
  expect(screen.getByText('Refused: 2 no room, 1 type')).toBeVisible();
  expect(rows()).toHaveLength(4);
  await user.click(screen.getByRole('button', { name: '3 refused' }));
  expect(rows().map((row) => within(row).getByTitle(/\./).textContent)).toEqual([
    'full-1.jpg',
    'full-2.jpg',
    'b.exe',
  ]);
  await user.click(screen.getByRole('button', { name: 'All' }));
  expect(rows()).toHaveLength(4);
});

test('the refused files are sent to another folder, which is found by typing', async () => {
  const { user } = show(<Batch />);
  add('a.jpg', 'b.exe');
  await user.click(await screen.findByRole('combobox', { name: 'Send the refused files to another folder' }));
  await user.type(screen.getByPlaceholderText('Search 3 folders'), 'pap');
  answer({
    'intakes.checkIn': (_id: string, { files }: { files: { name: string }[] }) => ({
      verdicts: files.map(({ name }) => verdict(name)),
    }),
  });
  await user.keyboard('{Enter}');
  await waitFor(() => expect(callsOf('assets.upload')).toHaveLength(2));
  expect(callsOf('assets.upload')[1]?.[0]).toMatchObject({ folder: '/papers', files: [{ name: 'b.exe' }] });
  await waitFor(() => expect(screen.queryByText(/^Refused/)).toBeNull());
});

test('an upload is stopped, says so, and goes on when it is sent again', async () => {
  const { user } = show(<Batch />);
  answer({
    'assets.upload': ({ signal }: { signal: AbortSignal }) =>
      new Promise((_resolve, reject) => signal.addEventListener('abort', () => reject(signal.reason))),
  });
  add('a.jpg');
  await waitFor(() => expect(callsOf('assets.upload')).toHaveLength(1));
  await user.click(screen.getByRole('button', { name: 'Stop sending' }));
  expect(await screen.findByText('Stopped. Send it again to continue.')).toBeVisible();
  answer({ 'assets.upload': () => [{ name: 'a.jpg', verdict: verdict('a.jpg'), asset: { id: '1' } }] });
  await user.click(screen.getByRole('button', { name: 'Send 1 interrupted file again' }));
  expect(await screen.findByRole('link', { name: 'Open in the library' })).toBeVisible();
});
