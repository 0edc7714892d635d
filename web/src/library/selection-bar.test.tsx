import { screen, waitFor } from '@testing-library/react';
import { ALL_RIGHTS } from '@uniferum/core/access';
import { beforeEach, expect, test } from 'vitest';
import { answer, callsOf } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { run } from '../testing/samples.js';
import { useSelection } from './selection.js';
import { SelectionBar } from './selection-bar.js';

const VIEW = { q: '', folder: '/lights', deep: true } as Parameters<typeof SelectionBar>[0]['view'];
const plan = (blocked: { asset: string; name: string; message: string }[], more = 0) => ({
  plan: {
    blocked,
    totals: { selected: 3, changed: 3 - blocked.length - more, blocked: blocked.length + more },
  },
});

beforeEach(() => {
  useSelection.setState({ ids: new Set(['1', '2', '3']), isAll: false });
  answer({ 'session.me': { name: 'Edda', rights: ALL_RIGHTS }, 'assets.act': { run: run('9') } });
});

test('what pages use is named before a bulk deletion, and stays unless it is said', async () => {
  answer({
    'assets.rehearseAct': plan(
      [{ asset: '2', name: 'dusk.jpg', message: 'dusk.jpg is used in 4 places.' }],
      1,
    ),
  });
  const { user } = show(<SelectionBar view={VIEW} total={3} />);
  await user.click(await screen.findByRole('button', { name: 'Move to bin' }));
  expect(await screen.findByText('2 assets are used on pages, which would break.')).toBeVisible();
  expect(screen.getByText('dusk.jpg')).toBeVisible();
  expect(screen.getByText('and 1 more')).toBeVisible();
  await user.click(screen.getByRole('button', { name: 'Move 1 asset to bin' }));
  await waitFor(() => expect(callsOf('assets.act')).toHaveLength(1));
  expect(callsOf('assets.act')[0]?.[0]).toEqual({ select: { ids: ['1', '2', '3'] }, action: 'bin' });
});

test('it goes too when that is said', async () => {
  answer({
    'assets.rehearseAct': plan([{ asset: '2', name: 'dusk.jpg', message: 'dusk.jpg is used in 4 places.' }]),
  });
  const { user } = show(<SelectionBar view={VIEW} total={3} />);
  await user.click(await screen.findByRole('button', { name: 'Move to bin' }));
  await user.click(await screen.findByRole('checkbox', { name: 'Move these too' }));
  await user.click(screen.getByRole('button', { name: 'Move 3 assets to bin' }));
  await waitFor(() => expect(callsOf('assets.act')[0]?.[0]).toMatchObject({ force: true }));
});

test('nothing is said where nothing is used', async () => {
  answer({ 'assets.rehearseAct': plan([]) });
  const { user } = show(<SelectionBar view={VIEW} total={3} />);
  await user.click(await screen.findByRole('button', { name: 'Move to bin' }));
  await waitFor(() => expect(screen.getAllByRole('button', { name: 'Move to bin' }).at(-1)).toBeEnabled());
  expect(screen.queryByRole('region', { name: 'Used on pages' })).toBeNull();
});
