import { screen, waitFor, within } from '@testing-library/react';
import { beforeEach, describe, expect, test, vi } from 'vitest';
import { RemoveAssetDialog } from '../library/remove-asset-dialog.js';
import { answer, callsOf, forgetAnswers, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { asset, pageSource, reference, run } from '../testing/samples.js';
import { AddSourceDialog } from './add-source-dialog.js';
import { BrokenPage } from './broken-page.js';
import { SourcesPage } from './sources-page.js';
import { UsesStage } from './uses-stage.js';

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

describe('fixes', () => {
  const fix = { address: 'http://x.example/media/new.jpg', by: 'same-name' as const };
  const diff = [{ line: 3, lead: '<img src="', before: '/old.jpg', after: '/media/new.jpg', trail: '">' }];
  const plan = {
    items: [{ source: '1', document: 'index.html', edits: 1, diff }],
    totals: { documents: 1, edits: 1, unreadable: 0 },
  };

  test('are rehearsed with what changes in each document, then made', async () => {
    answer({
      'sources.list': pageOf([pageSource('1')]),
      'references.list': pageOf([reference('7', { fix }), reference('8')]),
      'references.rehearseFix': { plan },
      'references.fix': { run: run('9') },
    });
    const { user } = show(<BrokenPage />, { at: '/pages/broken?source=1' });
    await user.click(await screen.findByRole('button', { name: /Fix all/ }));
    const dialog = await screen.findByRole('dialog', { name: 'Rehearse fixes' });
    expect(await within(dialog).findByText('/old.jpg')).toBeVisible();
    expect(callsOf('references.rehearseFix')[0]?.[0]).toEqual({ all: true, source: '1' });
    expect(callsOf('references.fix')).toEqual([]);
    await user.click(within(dialog).getByRole('button', { name: 'Replace 1 address' }));
    await waitFor(() => expect(callsOf('references.fix')[0]?.[0]).toEqual({ all: true, source: '1' }));
  });

  test("are made one by one where one is proposed, and say why they can't be", async () => {
    answer({
      'sources.list': pageOf([pageSource('1')]),
      'references.list': pageOf([reference('7', { fix }), reference('8')]),
      'references.rehearseFix': problem(409, 'These references are in read-only sources.'),
    });
    const { user } = show(<BrokenPage />, { at: '/pages/broken' });
    await user.click(await screen.findByRole('button', { name: 'Fix /media/a.jpg in index.html' }));
    expect(await screen.findByText('These references are in read-only sources.')).toBeVisible();
    expect(callsOf('references.rehearseFix')[0]?.[0]).toEqual({ ids: ['7'] });
    expect(screen.getByRole('button', { name: 'Rehearsing …' })).toBeDisabled();
  });
});

test('addresses are rehearsed in the writable sources that are chosen, and replaced as they were rehearsed', async () => {
  answer({
    'sources.list': pageOf([
      pageSource('1', { name: 'Guide', writable: true }),
      pageSource('2', { name: 'News', writable: true }),
      pageSource('3', { name: 'Far', writable: false }),
    ]),
    'rewrites.rehearse': { plan: { items: [], totals: { documents: 2, edits: 5, unreadable: 1 } } },
    'rewrites.begin': { run: run('9') },
  });
  const { user } = show(<SourcesPage />);
  await user.click(await screen.findByRole('button', { name: /Replace addresses/ }));
  expect(screen.queryByRole('checkbox', { name: 'Far' })).toBeNull();
  await user.click(screen.getByRole('checkbox', { name: 'News' }));
  expect(screen.getByRole('button', { name: 'Rehearse' })).toBeDisabled();
  await user.type(screen.getByLabelText('Old address'), '/old/');
  await user.type(screen.getByLabelText('New address'), '/new/');
  await user.click(screen.getByRole('button', { name: 'Rehearse' }));
  expect(
    await screen.findByText(/5 addresses in 2 documents would be replaced; 1 document can't/),
  ).toBeVisible();
  const request = { sources: ['1'], prefixes: [{ from: '/old/', to: '/new/' }] };
  expect(callsOf('rewrites.rehearse')[0]?.[0]).toEqual(request);
  await user.click(screen.getByRole('button', { name: 'Replace 5 addresses' }));
  await waitFor(() => expect(callsOf('rewrites.begin')[0]?.[0]).toEqual(request));
});

describe('sources of other kinds', () => {
  test('a database has columns with their formats, and its password is not shown as code', async () => {
    answer({ 'sources.add': pageSource('4') });
    const { user } = show(<AddSourceDialog onClose={() => {}} />);
    await user.selectOptions(screen.getByLabelText('Kind'), 'Database of the site');
    const type = (label: string, text: string) => user.type(screen.getByLabelText(label), text);
    for (const [label, text] of Object.entries({
      ...{ Name: 'News', Host: 'db.example', User: 'reader', Password: 'hush', Database: 'site' },
      ...{ Table: 'news', Columns: 'body, note: markdown' },
    }))
      await type(label, text);
    await user.click(screen.getByRole('button', { name: 'View as code' }));
    expect(await screen.findByText(/"secret": "…"/)).toBeVisible();
    await user.keyboard('{Escape}');
    await user.click(screen.getByRole('button', { name: 'Add source' }));
    await waitFor(() => expect(callsOf('sources.add')).toHaveLength(1));
    expect(callsOf('sources.add')[0]?.[0]).toMatchObject({
      kind: 'database',
      secret: 'hush',
      settings: {
        ...{ host: 'db.example', port: 3306, table: 'news', key: 'id', writable: false },
        columns: [
          { name: 'body', format: 'html' },
          { name: 'note', format: 'markdown' },
        ],
      },
    });
  });

  test('a site has a first page and limits', async () => {
    answer({ 'sources.add': pageSource('4') });
    const { user } = show(<AddSourceDialog onClose={() => {}} />);
    await user.selectOptions(screen.getByLabelText('Kind'), 'Site');
    await user.type(screen.getByLabelText('Name'), 'Home');
    await user.click(screen.getByRole('button', { name: 'Add source' }));
    expect(await screen.findByText('Enter the address of the first page.')).toBeVisible();
    await user.type(screen.getByLabelText('First page'), 'https://skerry.example/');
    await user.click(screen.getByRole('button', { name: 'Add source' }));
    await waitFor(() => expect(callsOf('sources.add')).toHaveLength(1));
    expect(callsOf('sources.add')[0]?.[0]).toEqual({
      kind: 'site',
      name: 'Home',
      settings: { url: 'https://skerry.example/', depth: 10, maxPages: 2000, perSecond: 2, checked: true },
    });
  });

  test('say where they are', async () => {
    const settings = { host: 'db.example', port: 3306, database: 'site', table: 'news', url: null };
    answer({
      'sources.list': pageOf([
        pageSource('1', { kind: 'site', settings: { url: 'https://skerry.example/' } } as object),
        pageSource('2', {
          kind: 'database',
          settings: { ...settings, columns: [{ name: 'body' }] },
        } as object),
      ]),
    });
    show(<SourcesPage />);
    expect(await screen.findByText('https://skerry.example/')).toBeVisible();
    expect(screen.getByText('db.example:3306 site.news (body)')).toBeVisible();
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
