import { screen, waitFor, within } from '@testing-library/react';
import { beforeEach, expect, test, vi } from 'vitest';
import { answer, callsOf, forgetAnswers, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { asset } from '../testing/samples.js';
import { EditAssetDialog } from './edit-asset-dialog.js';

const dusk = asset('7', { name: 'dusk.jpg', title: 'Dusk', alt: null });
const onClose = vi.fn();
const stale = problem(412, 'It was changed meanwhile.');

/** The server's state after each read, oldest first; the last one stays. */
function serverStates(...states: { value: typeof dusk; etag: string }[]) {
  const left = [...states];
  answer({ 'assets.getTagged': () => (left.length > 1 ? left.shift() : left[0]) });
}

beforeEach(() => {
  forgetAnswers();
  onClose.mockClear();
  answer({ 'folders.list': pageOf([]) });
});

const open = () => show(<EditAssetDialog asset={dusk} onClose={onClose} />);

test('sends only what was changed, with the state that was read', async () => {
  serverStates({ value: dusk, etag: '"1"' });
  answer({ 'assets.change': dusk });
  const { user } = open();
  await user.type(await screen.findByLabelText('Alternative text'), 'A light');
  await user.click(screen.getByRole('button', { name: 'Save' }));
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(callsOf('assets.change')).toEqual([['7', { alt: 'A light' }, { ifMatch: '"1"' }]]);
});

test('what a colleague saved meanwhile stays, and is not asked about', async () => {
  serverStates({ value: dusk, etag: '"1"' }, { value: { ...dusk, title: 'Night' }, etag: '"2"' });
  const answers = [stale, dusk];
  answer({ 'assets.change': () => answers.shift() });
  const { user } = open();
  await user.type(await screen.findByLabelText('Alternative text'), 'A light');
  await user.click(screen.getByRole('button', { name: 'Save' }));
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(callsOf('assets.change').at(-1)).toEqual(['7', { alt: 'A light' }, { ifMatch: '"2"' }]);
});

test.each([
  ['Yours', { title: 'Storm' }],
  ['Theirs', null],
])('a field that both changed is shown with both values, and "%s" is saved', async (whose, sent) => {
  serverStates(
    { value: dusk, etag: '"1"' },
    { value: { ...dusk, title: 'Night', credit: 'Edda' }, etag: '"2"' },
  );
  answer({
    'assets.change': (_id: string, _patch: object, { ifMatch }: { ifMatch: string }) =>
      ifMatch === '"1"' ? stale : dusk,
  });
  const { user } = open();
  const title = await screen.findByLabelText<HTMLInputElement>('Title');
  await user.clear(title);
  await user.type(title, 'Storm');
  await user.click(screen.getByRole('button', { name: 'Save' }));
  const conflict = within(await screen.findByRole('group', { name: 'Title' }));
  expect(conflict.getByText('Storm')).toBeTruthy();
  expect(conflict.getByText('Night')).toBeTruthy();
  expect(onClose).not.toHaveBeenCalled();
  // What only they changed is taken over.
  expect(screen.getByLabelText<HTMLInputElement>('Credit').value).toBe('Edda');
  await user.click(conflict.getByRole('radio', { name: new RegExp(whose) }));
  await user.click(screen.getByRole('button', { name: 'Save' }));
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  const after = callsOf('assets.change').slice(1);
  expect(after).toEqual(sent ? [['7', sent, { ifMatch: '"2"' }]] : []);
});

test('a failed save says why, and keeps what was typed', async () => {
  serverStates({ value: dusk, etag: '"1"' });
  answer({ 'assets.change': problem(503, 'The database is away.') });
  const { user } = open();
  await user.type(await screen.findByLabelText('Caption'), 'Fog');
  await user.click(screen.getByRole('button', { name: 'Save' }));
  expect((await screen.findByRole('alert')).textContent).toContain('The database is away.');
  expect(screen.getByLabelText<HTMLInputElement>('Caption').value).toBe('Fog');
});

test('the capture time is edited as the camera showed it, with its offset where that is known', async () => {
  const taken = {
    ...dusk,
    capturedAt: '2025-06-01T08:00:00.000Z',
    capturedLocal: '2025-06-01T10:00:00+02:00',
  };
  serverStates({ value: taken, etag: '"1"' });
  answer({ 'assets.change': dusk });
  const { user } = open();
  expect((await screen.findByLabelText<HTMLInputElement>('Taken')).value).toBe('2025-06-01T10:00');
  const offset = screen.getByLabelText<HTMLInputElement>('UTC offset');
  expect(offset.value).toBe('+02:00');
  await user.clear(offset);
  await user.type(offset, 'noon');
  await user.click(screen.getByRole('button', { name: 'Save' }));
  expect(await screen.findByText('Enter an offset such as +02:00.')).toBeTruthy();
  expect(callsOf('assets.change')).toEqual([]);
  await user.clear(offset);
  await user.click(screen.getByRole('button', { name: 'Save' }));
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(callsOf('assets.change')).toEqual([['7', { capturedAt: '2025-06-01T10:00' }, { ifMatch: '"1"' }]]);
});
