import type { Folder } from '@uniferum/core/library';
import { ListFilter } from 'lucide-react';
import { Tabs } from 'radix-ui';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { FolderPicker } from '../library/folder-picker.js';
import { useFolders } from '../library/hooks.js';
import { EffectiveRuleList } from '../rules/effective-rules.js';
import { useRules } from '../rules/hooks.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { ErrorNotice } from '../ui/notice.js';
import { AddressPanel } from './address-panel.js';
import { BatchTable } from './batch-table.js';
import { DropPlace } from './drop-place.js';
import { EarlierIntakes } from './earlier-intakes.js';
import { InboxPanel } from './inbox-panel.js';
import { ManifestPanel } from './manifest-panel.js';
import { MappingDialog } from './mapping-dialog.js';
import { useUploads } from './uploads.js';

const WAYS = [
  ['files', 'Upload'],
  ['inbox', 'Server inbox'],
  ['addresses', 'Addresses'],
  ['manifest', 'Manifest'],
] as const;

/** Importing files: the rules first, then the source, then the result for each file. */
export function IntakePage() {
  const [search, setSearch] = useSearchParams();
  const { data: folders, error } = useFolders();
  const path = search.get('folder') ?? '/';
  const way = WAYS.find(([name]) => name === search.get('way'))?.[0] ?? 'files';
  const folder = folders?.find((one) => one.path === path) ?? null;
  const mayWrite = useRight('library:write');
  const [isMapping, setMapping] = useState(false);
  const show = (change: { folder?: string; way?: string }) => setSearch({ folder: path, way, ...change });
  return (
    <Page
      title="Intake"
      actions={
        <>
          {useRight('rules:write') && (
            <Button look="quiet" className="text-soft" onClick={() => setMapping(true)}>
              <ListFilter className="size-3.5" aria-hidden="true" /> Metadata mapping
            </Button>
          )}
          <AsCode code={uploadCode(path)} />
        </>
      }
    >
      <div className="min-h-0 flex-1 overflow-y-auto px-6 pb-6">
        <div className="border-y border-rule">
          <RulesOfFolder folder={folder} onChoose={(chosen) => show({ folder: chosen })} />
        </div>
        {error && <ErrorNotice error={error} />}
        {folders && !folder && (
          <ErrorNotice error={new Error(`There is no folder ${path}. Choose another.`)} />
        )}
        {mayWrite && folder && <Ways way={way} folder={path} onWay={(chosen) => show({ way: chosen })} />}
        <ThisBatch />
        <EarlierIntakes />
      </div>
      {isMapping && <MappingDialog isOpen onOpenChange={setMapping} />}
    </Page>
  );
}

function Ways({ way, folder, onWay }: { way: string; folder: string; onWay: (way: string) => void }) {
  const add = useUploads((state) => state.add);
  const [unpack, setUnpack] = useState(true);
  return (
    <Tabs.Root value={way} onValueChange={onWay} className="py-3">
      <Tabs.List aria-label="Import from" className="mb-3 flex gap-6 border-b border-rule">
        {WAYS.map(([name, words]) => (
          <Tabs.Trigger
            key={name}
            value={name}
            className="-mb-px border-b-2 border-transparent py-1.5 text-soft data-[state=active]:border-oxide data-[state=active]:font-medium data-[state=active]:text-ink"
          >
            {words}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Tabs.Content value="files">
        <DropPlace
          folder={folder}
          unpack={unpack}
          onUnpack={setUnpack}
          onFiles={(files) => add(folder, files, { unpack })}
        />
      </Tabs.Content>
      <Tabs.Content value="inbox">
        <InboxPanel folder={folder} />
      </Tabs.Content>
      <Tabs.Content value="addresses">
        <AddressPanel folder={folder} />
      </Tabs.Content>
      <Tabs.Content value="manifest">
        <ManifestPanel folder={folder} />
      </Tabs.Content>
    </Tabs.Root>
  );
}

function ThisBatch() {
  const uploads = useUploads((state) => state.uploads);
  return uploads.length > 0 ? <BatchTable uploads={uploads} /> : null;
}

function RulesOfFolder({ folder, onChoose }: { folder: Folder | null; onChoose: (path: string) => void }) {
  const { data: rules, error } = useRules(folder?.id ?? null);
  return (
    <div className="flex min-h-[5.5rem] flex-wrap items-start gap-x-10 gap-y-3 py-3">
      <div className="flex flex-col gap-1">
        <label htmlFor="intake-folder" className="eyebrow">
          Target folder
        </label>
        <FolderPicker
          id="intake-folder"
          className="w-64 font-medium"
          value={folder?.path ?? ''}
          onChange={onChoose}
        />
      </div>
      <section aria-label="Rules of the target folder" className="flex-1">
        {error && <ErrorNotice error={error} />}
        {rules && folder && <EffectiveRuleList rules={rules.effective} folder={folder.path} />}
      </section>
    </div>
  );
}

function uploadCode(folder: string) {
  return {
    method: 'POST' as const,
    path: '/assets',
    body: `Content-Type: multipart/form-data; boundary=X\n\n--X\nContent-Disposition: form-data; name="folder"\n\n${folder}\n--X\nContent-Disposition: form-data; name="file"; filename="dusk.jpg"\n\n…\n--X--`,
    client: `import { openAsBlob } from 'node:fs';\n\nconst results = await uniferum.assets.upload({\n  folder: '${folder}',\n  files: [{ name: 'dusk.jpg', data: await openAsBlob('dusk.jpg') }],\n});\nfor (const { name, verdict, asset } of results) console.log(name, verdict.outcome, asset?.url);`,
    command: commandLine('up', 'dusk.jpg', ...option('--to', folder)),
  };
}
