import { screen } from '@testing-library/react';
import { beforeEach, expect, test } from 'vitest';
import { answer, callsOf, pageOf } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { folder, homeStore, store } from '../testing/samples.js';
import { PlacementDialog } from './placement-dialog.js';

const own = { stores: ['offsite'], serveFrom: 'offsite', keepLocal: true, rewritePages: true };
const nothing = { stores: [], serveFrom: null, keepLocal: true, rewritePages: false };
const placements = () => callsOf('copies.place').map(([, placement]) => placement);
const open = (placement: { own: object | null; effective: object }) => {
  answer({ 'copies.placement': placement });
  return show(<PlacementDialog folder={folder('/lights')} isOpen onOpenChange={() => {}} />);
};
beforeEach(() => {
  answer({
    'stores.list': pageOf([homeStore, { ...store('1'), name: 'offsite' }]),
    'copies.rehearsePlace': { plan: { files: 3, bytes: 9, seconds: null, cost: null } },
    'copies.place': { placement: { own, effective: { ...own, from: '/lights' } }, run: null },
  });
});

test('pages can be rewritten only to the store that visitors are served from', async () => {
  const { user } = open({ own: null, effective: { ...nothing, from: null } });
  await screen.findByRole('button', { name: 'Save placement' });
  await user.click(screen.getByLabelText("Set this folder's own placement"));
  await user.click(screen.getByLabelText('offsite'));
  expect(screen.queryByLabelText(/Rewrite pages/)).toBeNull();
  await user.selectOptions(screen.getByLabelText('Visitors are served from'), 'offsite');
  await user.click(screen.getByLabelText('Rewrite pages to addresses in offsite'));
  await user.click(screen.getByRole('button', { name: 'Save placement' }));
  expect(placements()).toEqual([own]);
});

test('without that store, pages are left alone', async () => {
  const { user } = open({ own, effective: { ...own, from: '/lights' } });
  expect(await screen.findByLabelText('Rewrite pages to addresses in offsite')).toBeChecked();
  expect(await screen.findByRole('button', { name: 'Save placement' })).toBeDisabled();
  await user.selectOptions(screen.getByLabelText('Visitors are served from'), 'this server');
  await user.click(screen.getByRole('button', { name: 'Save placement' }));
  expect(placements()).toEqual([{ ...own, serveFrom: null, rewritePages: false }]);
});

test('what holds above is said in words', async () => {
  open({ own: null, effective: { ...own, from: '/' } });
  expect(
    await screen.findByText('Copies in offsite, served from offsite, pages rewritten, set by /.'),
  ).toBeInTheDocument();
});
