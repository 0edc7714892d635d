import { screen, within } from '@testing-library/react';
import type { UserEvent } from '@testing-library/user-event';
import type { ReactElement } from 'react';
import { beforeEach, describe, expect, test, vi } from 'vitest';
import { MakeKeyDialog } from './automate/make-key-dialog.js';
import { CopiesOfAssetDialog } from './copies/asset-copies-dialog.js';
import { CopiesDialog } from './copies/copies-dialog.js';
import { FindingsDialog } from './copies/findings-dialog.js';
import { LinksDialog } from './copies/links-dialog.js';
import { PlacementDialog } from './copies/placement-dialog.js';
import { StoreDialog } from './copies/store-dialog.js';
import { MappingDialog } from './intake/mapping-dialog.js';
import { BinPage } from './library/bin-page.js';
import { BulkDialog } from './library/bulk-dialog.js';
import { EditAssetDialog } from './library/edit-asset-dialog.js';
import { ChangeFolderDialog, MakeFolderDialog, RemoveFolderDialog } from './library/folder-dialogs.js';
import { RemoveAssetDialog } from './library/remove-asset-dialog.js';
import { ReplaceAssetDialog } from './library/replace-dialog.js';
import { VersionsDialog } from './library/versions-dialog.js';
import { ImportDialog } from './recipes/import-dialog.js';
import { RebuildDialog } from './recipes/rebuild-dialog.js';
import { RemoveRecipeDialog } from './recipes/remove-recipe-dialog.js';
import { AccessDialog } from './rules/access-dialog.js';
import { answer, callsOf, pageOf, problem } from './testing/fake-client.js';
import { show } from './testing/render.js';
import { asset, connection, folder, homeStore, recipe, store } from './testing/samples.js';

const dusk = asset('7', { name: 'dusk.jpg' });
const close = vi.fn();
const open = { isOpen: true, onOpenChange: close };

interface Case {
  dialog: ReactElement;
  /** The call that the server refuses. */
  call: string;
  /** Does what leads to it. */
  act: (user: UserEvent) => Promise<void>;
  /** What was typed stays: a value that is still there afterwards. */
  keeps?: string;
}

const press = (name: string | RegExp) => async (user: UserEvent) =>
  user.click(await screen.findByRole('button', { name }));

const CASES: Record<string, Case> = {
  'editing an asset': {
    dialog: <EditAssetDialog asset={dusk} onClose={close} />,
    call: 'assets.change',
    act: async (user) => {
      await user.type(await screen.findByLabelText('Caption'), 'The light at dusk');
      await press('Save')(user);
    },
    keeps: 'The light at dusk',
  },
  'moving an asset to the bin': {
    dialog: <RemoveAssetDialog asset={dusk} onRemoved={close} {...open} />,
    call: 'assets.remove',
    act: press('Move to bin'),
  },
  'replacing an asset': {
    dialog: <ReplaceAssetDialog asset={dusk} {...open} />,
    call: 'assets.replace',
    act: async (user) => {
      await user.upload(screen.getByLabelText('New file for dusk.jpg'), new File(['x'], 'new.jpg'));
      await press('Replace')(user);
    },
  },
  'restoring a version': {
    dialog: <VersionsDialog asset={{ ...dusk, version: 2 }} onClose={close} />,
    call: 'assets.restoreVersion',
    act: press('Restore version 1'),
  },
  'making a folder': {
    dialog: <MakeFolderDialog folder={folder('/lights')} {...open} />,
    call: 'folders.make',
    act: async (user) => {
      await user.type(screen.getByLabelText('Name'), 'gannet-head');
      await press('Create folder')(user);
    },
    keeps: 'gannet-head',
  },
  'renaming a folder': {
    dialog: <ChangeFolderDialog folder={folder('/lights')} {...open} />,
    call: 'folders.change',
    act: async (user) => {
      await user.type(screen.getByLabelText('Name'), '-new');
      await press('Save')(user);
    },
    keeps: 'lights-new',
  },
  'taking a folder away': {
    dialog: <RemoveFolderDialog folder={folder('/lights', { deepItems: 0 })} {...open} />,
    call: 'folders.remove',
    act: press('Delete'),
  },
  'rehearsing an edit of many': {
    dialog: <BulkDialog selection={{ ids: ['7'] }} count={1} onDone={close} {...open} />,
    call: 'assets.rehearseEdit',
    act: async (user) => {
      await user.selectOptions(screen.getByLabelText('Change: Credit'), 'set');
      await user.type(screen.getByLabelText('Credit: value'), 'Edda');
      await press('Rehearse')(user);
    },
    keeps: 'Edda',
  },
  'editing many': {
    dialog: <BulkDialog selection={{ ids: ['7'] }} count={1} onDone={close} {...open} />,
    call: 'assets.edit',
    act: async (user) => {
      await user.selectOptions(screen.getByLabelText('Change: Credit'), 'set');
      await user.type(screen.getByLabelText('Credit: value'), 'Edda');
      await press('Apply')(user);
    },
    keeps: 'Edda',
  },
  'emptying the bin': {
    dialog: <BinPage />,
    call: 'bin.empty',
    act: async (user) => {
      await press(/^Empty bin/)(user);
      await press('Empty bin permanently')(user);
    },
  },
  'restoring from the bin': {
    dialog: <BinPage />,
    call: 'assets.restore',
    act: press(/^Restore /),
  },
  'making a key': {
    dialog: <MakeKeyDialog onClose={close} />,
    call: 'keys.make',
    act: async (user) => {
      await user.type(await screen.findByLabelText('Name'), 'nightly import');
      await user.click((await screen.findAllByRole('checkbox'))[0] as HTMLElement);
      await press('Create key')(user);
    },
    keeps: 'nightly import',
  },
  'which fields fill which texts': {
    dialog: <MappingDialog {...open} />,
    call: 'settings.putMetadata',
    act: press('Save mapping'),
  },
  'what a folder publishes': {
    dialog: <AccessDialog folder={folder('/lights')} {...open} />,
    call: 'folders.putAccess',
    act: press('Save'),
  },
  "where a folder's files are stored": {
    dialog: <PlacementDialog folder={folder('/lights')} {...open} />,
    call: 'copies.place',
    act: async (user) => {
      await user.click(await screen.findByLabelText("Set this folder's own placement"));
      await user.click(await screen.findByLabelText('offsite'));
      await press('Save placement')(user);
    },
  },
  'making a store': {
    dialog: <StoreDialog store={null} onClose={close} />,
    call: 'stores.add',
    act: async (user) => {
      await user.type(await screen.findByLabelText('Name'), 'vault');
      await press('Add store')(user);
    },
    keeps: 'vault',
  },
  'copying a selection': {
    dialog: <CopiesDialog selection={{ ids: ['7'] }} count={1} onClose={close} />,
    call: 'copies.change',
    act: async (user) => user.click(await screen.findByRole('button', { name: 'Copy 2 files' })),
  },
  'repairing a store': {
    dialog: <FindingsDialog store={store('1')} onClose={close} />,
    call: 'stores.repair',
    act: async (user) => {
      const button = await screen.findByRole('button', { name: 'Repair' });
      await vi.waitFor(() => expect(button).toBeEnabled());
      await user.click(button);
    },
  },
  'making a link': {
    dialog: <LinksDialog asset={dusk} onClose={close} />,
    call: 'copies.link',
    act: async (user) => {
      await user.type(await screen.findByLabelText('Downloads at most'), '3');
      await press('Create link')(user);
    },
    keeps: '3',
  },
  'rehearsing an import of recipes': {
    dialog: <ImportDialog onClose={close} />,
    call: 'recipes.rehearseImport',
    act: async (user) => {
      await user.click(screen.getByLabelText('Document'));
      await user.paste('{"recipes":[]}');
      await press('Rehearse')(user);
    },
    keeps: '{"recipes":[]}',
  },
  'the rehearsal of a rebuild': {
    dialog: <RebuildDialog recipes={[recipe('wide')]} onClose={close} />,
    call: 'recipes.rehearseRebuild',
    act: async () => {},
  },
  'taking a recipe away': {
    dialog: <RemoveRecipeDialog recipe={recipe('wide')} onClose={close} />,
    call: 'recipes.remove',
    act: press('Delete'),
  },
};

const NOW = '2026-05-20T12:00:00.000Z';

beforeEach(() => {
  close.mockReset();
  const version = { bytes: 10, mime: 'image/jpeg', width: 3, height: 2, by: 'Edda', url: '/x.jpg' };
  answer({
    'folders.list': pageOf([folder('/'), folder('/lights')]),
    'assets.getTagged': { value: dusk, etag: '"1"' },
    'folders.access': {
      own: { visibility: null, publicMetadata: null },
      effective: {
        visibility: { value: 'public', from: null },
        publicMetadata: { value: 'rights', from: '/' },
      },
    },
    'stores.list': pageOf([homeStore, store('1')]),
    'connections.list': pageOf([connection('1')]),
    'copies.placement': {
      own: null,
      effective: { stores: [], serveFrom: null, keepLocal: true, rewritePages: false, from: null },
    },
    'copies.rehearsePlace': { plan: { files: 3, bytes: 9, seconds: null, cost: null } },
    'copies.rehearse': {
      plan: {
        items: [{ asset: '7', name: 'dusk.jpg', folder: '/lights', files: 2, bytes: 9, note: null }],
        totals: { assets: 1, files: 2, bytes: 9, refused: 0 },
      },
    },
    'copies.links': pageOf([]),
    'stores.findings': {
      ...pageOf([
        { id: '1', key: 'lights/dusk.jpg', reason: 'missing', asset: null, bytes: 9, foundAt: NOW },
      ]),
      ...{ auditedAt: NOW, reasons: { missing: 1, surplus: 0, size: 0, damaged: 0 } },
    },
    'stores.rehearseRepair': { plan: { items: [], totals: { store: 1, delete: 0, nothing: 0 } } },
    'assets.versions': {
      items: [
        { ...version, n: 2, createdAt: '2026-05-20T12:00:00.000Z', isCurrent: true },
        { ...version, n: 1, createdAt: '2026-05-19T12:00:00.000Z', isCurrent: false },
      ],
    },
    'bin.list': pageOf([{ ...dusk, deletedAt: '2026-05-20T12:00:00.000Z' }], { bytes: 1 }),
    'settings.metadata': { title: [], alt: [], caption: [], credit: [], keywords: [], capturedAt: [] },
  });
});

describe('when the server refuses', () => {
  test.each(Object.entries(CASES))(
    '%s says why, and stays open',
    async (_what, { dialog, call, act, keeps }) => {
      answer({ [call]: problem(409, 'Somebody else was faster. Try again.') });
      const { user } = show(dialog);
      await act(user);
      expect(await screen.findByText(/Somebody else was faster/)).toBeVisible();
      expect(callsOf(call).length).toBeGreaterThan(0);
      expect(close).not.toHaveBeenCalled();
      if (keeps !== undefined) expect(within(document.body).getByDisplayValue(keeps)).toBeVisible();
    },
  );

  test.each([
    ['its versions', 'assets.versions', <VersionsDialog key="a" asset={dusk} onClose={close} />],
    ['the mapping', 'settings.metadata', <MappingDialog key="b" {...open} />],
    ['what is published', 'folders.access', <AccessDialog key="c" folder={folder('/lights')} {...open} />],
    ['its placement', 'copies.placement', <PlacementDialog key="d" folder={folder('/lights')} {...open} />],
    ['its copies', 'copies.of', <CopiesOfAssetDialog key="e" asset={dusk} onClose={close} />],
    ['its links', 'copies.links', <LinksDialog key="f" asset={dusk} onClose={close} />],
    ['findings', 'stores.findings', <FindingsDialog key="g" store={store('1')} onClose={close} />],
  ])("a dialog that can't read %s says why", async (_what, call, dialog) => {
    answer({ [call]: problem(503, "The database can't be reached.") });
    show(dialog);
    expect(await screen.findByText(/database can't be reached/)).toBeVisible();
  });
});

test('a document of recipes that is no JSON is said before it is sent', async () => {
  const { user } = show(<ImportDialog onClose={close} />);
  await user.click(screen.getByLabelText('Document'));
  await user.paste('{"recipes": [');
  await user.click(screen.getByRole('button', { name: 'Rehearse' }));
  expect(await screen.findByText(/Invalid JSON|Invalid JSON/)).toBeVisible();
  expect(callsOf('recipes.rehearseImport')).toEqual([]);
});
