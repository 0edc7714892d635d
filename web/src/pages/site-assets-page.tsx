import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { SiteAssetsAnswer } from '@uniferum/core/pages';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { DeleteQuestion } from '../ui/delete-question.js';
import { Checkbox } from '../ui/field.js';
import { formatAgo } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { AddSiteAssetsDialog } from './add-site-assets-dialog.js';
import { PagesViews } from './pages-views.js';
import { PlaceAssetsDialog } from './place-assets-dialog.js';
import { useSiteAssetChanges, useSiteAssets } from './site-asset-hooks.js';

/** Folders of style sheets, scripts and fonts that stores serve. */
export function SiteAssetsPage() {
  const { data: folders, error } = useSiteAssets();
  const mayWrite = useRight('pages:write');
  const [isAdding, setAdding] = useState(false);
  const [placing, setPlacing] = useState<SiteAssetsAnswer | null>(null);
  return (
    <Page
      title="Pages"
      note={folders && formatCount(folders.length, 'folder')}
      actions={
        mayWrite && (
          <Button look="main" onClick={() => setAdding(true)}>
            <Plus className="size-4" aria-hidden="true" /> Add folder
          </Button>
        )
      }
    >
      <PagesViews />
      {error && <ErrorNotice error={error} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        {folders?.length === 0 && (
          <div className="p-6">
            <EmptyPlace
              title="No site assets yet"
              action={mayWrite && <Button onClick={() => setAdding(true)}>Add a folder</Button>}
            >
              Style sheets, scripts and fonts can be served from a store as well. Each release gets addresses
              of its own, so that browsers may keep its files for a year.
            </EmptyPlace>
          </div>
        )}
        <ul>
          {folders?.map((one) => (
            <FolderRow key={one.id} folder={one} mayWrite={mayWrite} onPlace={() => setPlacing(one)} />
          ))}
        </ul>
      </div>
      {isAdding && <AddSiteAssetsDialog onClose={() => setAdding(false)} />}
      {placing && <PlaceAssetsDialog folder={placing} onClose={() => setPlacing(null)} />}
    </Page>
  );
}

interface FolderRowProps {
  folder: SiteAssetsAnswer;
  mayWrite: boolean;
  onPlace: () => void;
}

function FolderRow({ folder, mayWrite, onPlace }: FolderRowProps) {
  const { id, name, url, release, releaseUrl, rewritePages } = folder;
  const { change, remove } = useSiteAssetChanges();
  const [isAsking, setAsking] = useState(false);
  return (
    <li className="grid grid-cols-1 items-start gap-x-6 gap-y-2 border-b border-rule px-6 py-3 lg:grid-cols-[minmax(0,1fr)_auto_auto]">
      <div className="min-w-0">
        <h2 className="truncate font-semibold" dir="auto">
          {name}
        </h2>
        <p className="truncate font-mono text-xs leading-5 text-soft">{folder.folder}</p>
        <p className="truncate font-mono text-xs leading-5 text-soft">{url}</p>
        <p className="mb-1 truncate font-mono text-xs leading-5 text-soft" title={releaseUrl ?? undefined}>
          → {releaseUrl ?? folder.store}
        </p>
        <Checkbox
          label="Pages lead to the store"
          checked={rewritePages}
          disabled={!mayWrite || change.isPending}
          onChange={(event) => change.mutate({ id, rewritePages: event.target.checked })}
        />
        <FailureLine error={change.error} />
      </div>
      <p className="figure text-sm text-soft lg:pt-1 lg:text-right">
        {release === null
          ? 'Never placed'
          : `${formatCount(folder.files, 'file')}, ${formatBytes(folder.bytes)}`}
        <br />
        {folder.placedAt !== null && `placed ${formatAgo(folder.placedAt)}`}
      </p>
      {mayWrite && (
        <div className="flex items-center gap-1 justify-self-end">
          {isAsking ? (
            <DeleteQuestion
              about="The files in the store are deleted. The folder on the server is kept."
              action="Delete"
              isPending={remove.isPending}
              error={remove.error}
              onDelete={() => remove.mutate(id)}
              onKeep={() => setAsking(false)}
            />
          ) : (
            <>
              <Button aria-label={`Place ${name}`} onClick={onPlace}>
                Place …
              </Button>
              <Button look="quiet" aria-label={`Delete ${name}`} onClick={() => setAsking(true)}>
                Delete
              </Button>
              <AsCode
                code={{
                  method: 'POST',
                  path: `/site-assets/${id}/place`,
                  client: `const { run } = await uniferum.siteAssets.place('${id}');`,
                  command: `uniferum site-assets ${id} --place`,
                }}
              />
            </>
          )}
        </div>
      )}
    </li>
  );
}
