import { screen, waitFor, within } from '@testing-library/react';
import { beforeEach, expect, test } from 'vitest';
import { answer, callsOf, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { homeStore, run, siteAssets, store } from '../testing/samples.js';
import { SiteAssetsPage } from './site-assets-page.js';

const placed = siteAssets('4', {
  ...{ release: '0123456789ab', releaseUrl: 'https://media.example/site-assets/4/0123456789ab/' },
  ...{ files: 12, bytes: 34_000, placedAt: '2026-05-20T12:00:00.000Z' },
});
const item = (path: string, change: 'new' | 'changed' | 'same' | 'removed', missing: string[] = []) => ({
  ...{ path, bytes: 9, change, edits: 0, missing },
});
const plan = (items: ReturnType<typeof item>[], changed: number) => ({
  release: 'ba9876543210',
  items,
  totals: { files: items.length, bytes: 27, changed, edits: 2, missing: 1, others: 3 },
});
beforeEach(() => {
  answer({ 'sources.list': pageOf([]), 'site-assets': pageOf([]), 'siteAssets.list': pageOf([placed]) });
});

test('a folder that nobody has placed yet says so, one that is placed where', async () => {
  answer({ 'siteAssets.list': pageOf([placed, siteAssets('5', { name: 'Print' })]) });
  show(<SiteAssetsPage />);
  const [first, second] = await screen
    .findAllByRole('listitem')
    .then((all) => all.filter((one) => within(one).queryByRole('heading')));
  expect(first).toHaveTextContent('https://skerry.example/look/→ https://media.example/site-assets/4/');
  expect(first).toHaveTextContent('12 files, 34 kB');
  expect(second).toHaveTextContent('https://skerry.example/look/→ offsite');
  expect(second).toHaveTextContent('Never placed');
});

test('placing shows what changes first, and what is missing', async () => {
  answer({
    'siteAssets.rehearsePlace': {
      plan: plan(
        [item('site.css', 'changed', ['fog.svg']), item('old.js', 'removed'), item('a.js', 'same')],
        2,
      ),
    },
    'siteAssets.place': { run: run('9') },
  });
  const { user } = show(<SiteAssetsPage />);
  await user.click(await screen.findByRole('button', { name: 'Place Look' }));
  const dialog = await screen.findByRole('dialog', { name: 'Place Look' });
  expect(await within(dialog).findByText('fog.svg')).toBeVisible();
  expect(dialog).toHaveTextContent(
    '2 changed. 2 references in style sheets rewritten. 3 files of other kinds',
  );
  expect(within(dialog).getByText('no longer there')).toBeVisible();
  expect(within(dialog).queryByText('a.js')).toBeNull();
  await user.click(within(dialog).getByRole('button', { name: 'Place 3 files' }));
  await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  expect(callsOf('siteAssets.place')[0]?.[0]).toBe('4');
});

test('what has not changed is not placed again, and a folder that is gone says what to do', async () => {
  answer({ 'siteAssets.rehearsePlace': { plan: plan([item('a.js', 'same')], 0) } });
  const { user } = show(<SiteAssetsPage />);
  await user.click(await screen.findByRole('button', { name: 'Place Look' }));
  expect(await screen.findByText(/nothing has changed/)).toBeVisible();
  expect(screen.getByRole('button', { name: 'Place 1 file' })).toBeDisabled();
  await user.keyboard('{Escape}');
  answer({ 'siteAssets.rehearsePlace': problem(409, 'The folder is not mounted.') });
  await user.click(screen.getByRole('button', { name: 'Place Look' }));
  expect(await screen.findByText('The folder is not mounted.')).toBeVisible();
});

test('pages are led to the store and back by a press, and a refusal is shown', async () => {
  answer({ 'siteAssets.change': { siteAssets: placed, run: '9' } });
  const { user } = show(<SiteAssetsPage />);
  const box = await screen.findByLabelText('Pages lead to the store');
  await waitFor(() => expect(box).toBeEnabled());
  await user.click(box);
  await waitFor(() =>
    expect(callsOf('siteAssets.change')[0]?.slice(0, 2)).toEqual(['4', { rewritePages: true }]),
  );
  answer({ 'siteAssets.change': problem(409, 'Browsers would refuse the fonts.') });
  await user.click(box);
  expect(await screen.findByText('Browsers would refuse the fonts.')).toBeVisible();
});

test('one is added to a store that anybody can read', async () => {
  answer({
    'stores.list': pageOf([
      homeStore,
      { ...store('1'), name: 'closed', publicUrl: null },
      { ...store('2'), name: 'open', publicUrl: 'https://media.example' },
    ]),
    'siteAssets.add': placed,
  });
  const { user } = show(<SiteAssetsPage />);
  await user.click(await screen.findByRole('button', { name: 'Add folder' }));
  const dialog = await screen.findByRole('dialog', { name: 'Add site assets' });
  await user.click(await within(dialog).findByRole('button', { name: 'Add folder' }));
  expect(await within(dialog).findByText('Enter a name.')).toBeVisible();
  expect(
    within(dialog)
      .getAllByRole('option')
      .map(({ textContent }) => textContent),
  ).toEqual(['open']);
  await user.type(within(dialog).getByLabelText('Name'), 'Look');
  await user.type(within(dialog).getByLabelText('Folder'), '/srv/look');
  await user.type(within(dialog).getByLabelText('Address on the site'), 'https://skerry.example/look/');
  await user.click(within(dialog).getByRole('button', { name: 'Add folder' }));
  await waitFor(() =>
    expect(callsOf('siteAssets.add')[0]?.[0]).toEqual({
      ...{ name: 'Look', folder: '/srv/look', url: 'https://skerry.example/look/', store: 'open' },
      rewritePages: false,
    }),
  );
});

test('without such a store, the way to one is shown', async () => {
  answer({ 'stores.list': pageOf([homeStore]), 'siteAssets.list': pageOf([]) });
  const { user } = show(<SiteAssetsPage />);
  await user.click(await screen.findByRole('button', { name: 'Add a folder' }));
  expect(await screen.findByRole('link', { name: 'Add one first' })).toHaveAttribute(
    'href',
    '/connections/stores',
  );
});

test('deleting asks first', async () => {
  answer({ 'siteAssets.remove': undefined });
  const { user } = show(<SiteAssetsPage />);
  await user.click(await screen.findByRole('button', { name: 'Delete Look' }));
  expect(callsOf('siteAssets.remove')).toEqual([]);
  await user.click(screen.getByRole('button', { name: 'Delete' }));
  await waitFor(() => expect(callsOf('siteAssets.remove')[0]?.[0]).toBe('4'));
});
