import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { useLibraryChanges } from './hooks.js';

interface ReplaceAssetDialogProps {
  asset: Asset;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

/** Replaces an asset's file: a new version at the same URL. */
export function ReplaceAssetDialog({ asset, isOpen, onOpenChange }: ReplaceAssetDialogProps) {
  const { replaceAsset } = useLibraryChanges();
  const [file, setFile] = useState<File | null>(null);
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Replace ${asset.name}`}
      description="The new file gets the same address and texts. The current one becomes the previous version; its renditions are served until the new ones are ready."
    >
      <div className="flex flex-col gap-4">
        <input
          type="file"
          aria-label={`New file for ${asset.name}`}
          className="text-sm file:mr-4 file:h-8 file:rounded-[3px] file:border file:border-rule-strong file:bg-raised file:px-3 file:text-sm file:font-medium file:text-ink"
          onChange={(event) => setFile(event.target.files?.[0] ?? null)}
        />
        {file && (
          <p className="figure text-soft">
            {formatBytes(asset.bytes)} → {formatBytes(file.size)}
          </p>
        )}
        <FormFoot error={replaceAsset.error} code={replaceCode(asset.id, file?.name ?? asset.name)}>
          <Button
            look="main"
            disabled={file === null || replaceAsset.isPending}
            onClick={() =>
              file && replaceAsset.mutate({ id: asset.id, file }, { onSuccess: () => onOpenChange(false) })
            }
          >
            Replace
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function replaceCode(id: string, name: string) {
  return {
    method: 'PUT' as const,
    path: `/assets/${id}/content`,
    body: `Content-Type: application/octet-stream\n\n(the bytes of ${name})`,
    client: `import { openAsBlob } from 'node:fs';\n\nawait uniferum.assets.replace('${id}', await openAsBlob('${name}'));`,
    command: commandLine('set', id, ...option('--file', name)),
  };
}
