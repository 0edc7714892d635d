import type { Editor } from '@tiptap/react';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
import { AssetThumb } from '../library/asset-thumb.js';
import { FolderPicker } from '../library/folder-picker.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, Select } from '../ui/field.js';
import { ViewTabs } from '../ui/view-tabs.js';
import type { GalleryAttributes } from './media-attributes.js';
import { RecipeField } from './recipe-choice.js';
import { Shelf } from './shelf.js';

const LAYOUTS = { rows: 'Rows of one height', grid: 'Grid of squares', sequence: 'One after the other' };

/** Places a gallery: of chosen files, or of what a folder and a filter contain whenever the page is shown. */
export function GalleryDialog({ editor, onClose }: { editor: Editor; onClose: () => void }) {
  const [from, setFrom] = useState<'folder' | 'files'>('folder');
  const [files, setFiles] = useState<Asset[]>([]);
  const [settings, setSettings] = useState<GalleryAttributes>({
    ...{ layout: 'rows', recipe: null, assets: '', folder: '/', filter: 'kind:image' },
  });
  const set = (part: Partial<GalleryAttributes>) => setSettings({ ...settings, ...part });
  const isEmpty = from === 'files' && files.length === 0;
  const place = () => {
    const assets = files.map(({ id }) => id).join(' ');
    const attrs =
      from === 'files' ? { ...settings, assets, folder: '', filter: '' } : { ...settings, assets: '' };
    onClose();
    editor.chain().focus().insertContent({ type: 'gallery', attrs }).run();
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Place a gallery"
      description="Pictures of a folder or a filter, as they are when the page is shown, or a selection."
      className="w-[46rem]"
    >
      <div className="flex flex-col gap-4">
        <div className="flex flex-wrap gap-3">
          <Field label="Layout" className="min-w-48 flex-1">
            {(props) => (
              <Select
                {...props}
                value={settings.layout}
                onChange={(event) => set({ layout: event.target.value as GalleryAttributes['layout'] })}
              >
                {Object.entries(LAYOUTS).map(([layout, name]) => (
                  <option key={layout} value={layout}>
                    {name}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <RecipeField
            className="min-w-48 flex-1"
            value={settings.recipe}
            onChange={(recipe) => set({ recipe })}
          />
        </div>
        <ViewTabs
          label="What it shows"
          tabs={[
            { id: 'folder', name: 'A folder or filter' },
            { id: 'files', name: `A selection (${files.length})` },
          ]}
          chosen={from}
          onChoose={setFrom}
        />
        {from === 'folder' ? (
          <FolderChoice settings={settings} onChange={set} />
        ) : (
          <FilesChoice files={files} onChange={setFiles} />
        )}
        <Button look="main" className="self-end" disabled={isEmpty} onClick={place}>
          Place gallery
        </Button>
      </div>
    </Dialog>
  );
}

interface FolderChoiceProps {
  settings: GalleryAttributes;
  onChange: (part: Partial<GalleryAttributes>) => void;
}

function FolderChoice({ settings: { folder, filter }, onChange }: FolderChoiceProps) {
  return (
    <div className="flex flex-wrap gap-3">
      <Field label="Folder" hint="With its subfolders." className="min-w-48 flex-1">
        {(props) => (
          <FolderPicker {...props} value={folder} onChange={(path) => onChange({ folder: path })} />
        )}
      </Field>
      <Field label="Filter" className="min-w-48 flex-1">
        {(props) => (
          <Input
            {...props}
            className="font-mono"
            value={filter}
            onChange={(event) => onChange({ filter: event.target.value })}
          />
        )}
      </Field>
    </div>
  );
}

interface FilesChoiceProps {
  files: readonly Asset[];
  onChange: (files: Asset[]) => void;
}

function FilesChoice({ files, onChange }: FilesChoiceProps) {
  return (
    <>
      <ul aria-label="Selection" className="flex flex-wrap gap-1.5">
        {files.map((asset) => (
          <li key={asset.id}>
            <button
              type="button"
              aria-label={`Leave out ${asset.name}`}
              onClick={() => onChange(files.filter(({ id }) => id !== asset.id))}
            >
              <AssetThumb asset={asset} heightPx={56} className="h-14 w-20" />
            </button>
          </li>
        ))}
      </ul>
      <Shelf
        q="kind:image"
        onPlace={(asset) => {
          if (!files.some(({ id }) => id === asset.id)) onChange([...files, asset]);
        }}
      />
    </>
  );
}
