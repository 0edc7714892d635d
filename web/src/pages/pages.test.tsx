import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, test, vi } from 'vitest';
import { RemoveAssetDialog } from '../library/remove-asset-dialog.js';
import { answer, callsOf, forgetAnswers, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { asset, pageSource, reference, run } from '../testing/samples.js';
import { AddSourceDialog } from './add-source-dialog.js';
import { BrokenPage } from './broken-page.js';
import { SourcesPage } from './sources-page.js';
import { UsesStage } from './uses-stage.js';

vi.mock('../client.js', () => import('../testing/fake-client.js'));
beforeEach(forgetAnswers);

describe('sources', () => {
  test('are indexed once for each press, and say what went wrong', async () => {
    answer({
      'sources.list': pageOf([pageSource('3', { name: 'Guide' })]),
      'sources.index': { run: run('9') },
    });
    const { user } = show(<SourcesPage />);
    await user.click(await screen.findByRole('button', { name: 'Index Guide' }));
    expect(callsOf('sources.index')[0]?.[0]).toBe('3');
    answer({ 'sources.index': problem(409, 'The folder is gone.') });
    await user.click(screen.getByRole('button', { name: 'Index Guide' }));
    expect(await screen.findByText('The folder is gone.')).toBeVisible();
  });

  test('are tested step by step', async () => {
    answer({
      'sources.list': pageOf([pageSource('3', { name: 'Guide' })]),
      'sources.test': {
        steps: [
          { name: 'configured', ok: true, message: 'Folders are allowed.' },
          { name: 'found', ok: false, message: '/srv is not a folder.' },
        ],
      },
    });
    const { user } = show(<SourcesPage />);
    await user.click(await screen.findByRole('button', { name: 'Test Guide' }));
    expect(await screen.findByText(/is not a folder/)).toBeVisible();
    expect(screen.getByLabelText('failed')).toBeVisible();
    expect(screen.getByLabelText('passed')).toBeVisible();
  });

  test('are deleted after a question', async () => {
    answer({ 'sources.list': pageOf([pageSource('3', { name: 'Guide' })]), 'sources.remove': undefined });
    const { user } = show(<SourcesPage />);
    await user.click(await screen.findByRole('button', { name: 'Delete Guide' }));
    expect(callsOf('sources.remove')).toEqual([]);
    await user.click(screen.getByRole('button', { name: 'Delete source' }));
    await waitFor(() => expect(callsOf('sources.remove')[0]?.[0]).toBe('3'));
  });

  test('are added with a name and a folder; an address is optional', async () => {
    const onClose = vi.fn();
    answer({ 'sources.add': pageSource('4') });
    const { user } = show(<AddSourceDialog onClose={onClose} />);
    await user.click(screen.getByRole('button', { name: 'Add source' }));
    expect(await screen.findByText('Enter a name.')).toBeVisible();
    await user.type(screen.getByLabelText('Name'), 'Guide');
    await user.type(screen.getByLabelText('Folder'), '/srv/guide');
    await user.click(screen.getByRole('button', { name: 'Add source' }));
    await waitFor(() => expect(onClose).toHaveBeenCalled());
    expect(callsOf('sources.add')[0]?.[0]).toEqual({
      kind: 'folder',
      name: 'Guide',
      settings: { path: '/srv/guide' },
    });
  });
});

test('broken references are those of the source in the address', async () => {
  answer({
    'sources.list': pageOf([pageSource('1', { name: 'Guide' }), pageSource('2', { name: 'News' })]),
    'references.list': pageOf([
      reference('7', { reason: 'in-bin' }),
      reference('8', { fix: { address: 'http://x.example/media/new.jpg', by: 'same-name' } }),
    ]),
  });
  const { user } = show(<BrokenPage />, { at: '/pages/broken?source=2' });
  expect(await screen.findByText('the file is in the bin')).toBeVisible();
  expect(screen.getByText('/media/new.jpg')).toBeVisible();
  expect(callsOf('references.list')[0]?.[0]).toEqual({ limit: 100, source: '2' });
  await user.selectOptions(screen.getByLabelText('Source'), 'All sources');
  await waitFor(() => expect(callsOf('references.list').at(-1)?.[0]).toEqual({ limit: 100 }));
});

describe('the uses of an asset', () => {
  const use = (n: number) => ({ ...reference(String(n)), title: `Page ${n}`, offset: n });

  test('are listed on its line, and what is more is counted', async () => {
    answer({ 'references.usesOf': pageOf([use(1), use(2)]) });
    show(<UsesStage asset={asset('7', { uses: 5 })} />);
    expect(await screen.findByText('Page 2')).toBeVisible();
    expect(screen.getByText('and 3 more places')).toBeVisible();
  });

  test('are not asked for where there are none', () => {
    show(<UsesStage asset={asset('7', { uses: 0 })} />);
    expect(screen.getByText('Not used on any indexed page.')).toBeVisible();
    expect(callsOf('references.usesOf')).toEqual([]);
  });

  test('make its deletion ask for force', async () => {
    answer({ 'assets.remove': undefined });
    const dialog = (uses: number) => (
      <RemoveAssetDialog asset={asset('7', { uses })} isOpen onOpenChange={() => {}} onRemoved={() => {}} />
    );
    const { user, unmount } = show(dialog(3));
    expect(screen.getByText(/used in 3 places/)).toBeVisible();
    await user.click(screen.getByRole('button', { name: 'Move to bin anyway' }));
    expect(callsOf('assets.remove')[0]).toMatchObject(['7', { force: true }]);
    unmount();
    const again = show(dialog(0));
    await again.user.click(screen.getByRole('button', { name: 'Move to bin' }));
    expect(callsOf('assets.remove')[1]?.[1]).not.toHaveProperty('force');
  });
});
