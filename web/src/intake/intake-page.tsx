import type { Folder } from '@uniferum/core';
import { useSearchParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { useFolders } from '../library/hooks.js';
import { EffectiveRuleList } from '../rules/effective-rules.js';
import { useRules } from '../rules/hooks.js';
import { AsCode } from '../ui/as-code.js';
import { Select } from '../ui/field.js';
import { BatchTable } from './batch-table.js';
import { DropPlace } from './drop-place.js';
import { EarlierIntakes } from './earlier-intakes.js';
import { useUploads } from './uploads.js';

/** Bringing files in: the rules first, then the drop place, then what came of each file. */
export function IntakePage() {
  const [search, setSearch] = useSearchParams();
  const { data: folders = [] } = useFolders();
  const path = search.get('folder') ?? '/';
  const folder = folders.find((one) => one.path === path) ?? folders[0] ?? null;
  const uploads = useUploads((state) => state.uploads);
  const add = useUploads((state) => state.add);
  const mayWrite = useRight('library:write');
  return (
    <Page title="Intake" actions={<AsCode code={uploadCode(path)} />}>
      <div className="min-h-0 flex-1 overflow-y-auto px-6 pb-6">
        <div className="border-y border-rule">
          <RulesOfFolder
            folder={folder}
            folders={folders}
            onChoose={(chosen) => setSearch({ folder: chosen })}
          />
        </div>
        {mayWrite && <DropPlace folder={path} onFiles={(files) => add(path, files)} />}
        {uploads.length > 0 && <BatchTable uploads={uploads} />}
        <EarlierIntakes />
      </div>
    </Page>
  );
}

function RulesOfFolder({
  folder,
  folders,
  onChoose,
}: {
  folder: Folder | null;
  folders: readonly Folder[];
  onChoose: (path: string) => void;
}) {
  const { data: rules } = useRules(folder?.id ?? null);
  return (
    <div className="flex min-h-[5.5rem] flex-wrap items-start gap-x-10 gap-y-3 py-3">
      <div className="flex flex-col gap-1">
        <label htmlFor="intake-folder" className="eyebrow">
          Into the folder
        </label>
        <Select
          id="intake-folder"
          className="w-64 font-medium"
          value={folder?.path ?? '/'}
          onChange={(event) => onChoose(event.target.value)}
        >
          {folders.map(({ path }) => (
            <option key={path}>{path}</option>
          ))}
        </Select>
      </div>
      <section aria-label="Rules that hold there" className="flex-1">
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
  };
}
