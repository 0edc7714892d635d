import { formatCount } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { useLibraryChanges } from './hooks.js';

interface RemoveAssetDialogProps {
  asset: Asset;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
  onRemoved: () => void;
}

/** Moves an asset to the bin. */
export function RemoveAssetDialog({ asset, isOpen, onOpenChange, onRemoved }: RemoveAssetDialogProps) {
  const { removeAsset } = useLibraryChanges();
  const isUsed = asset.uses > 0;
  const remove = async () => {
    await removeAsset.mutateAsync({ id: asset.id, force: isUsed });
    onOpenChange(false);
    onRemoved();
  };
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Move ${asset.name} to the bin?`}
      description="Its addresses and those of its renditions stop working. It stays in the bin with its versions until the bin is emptied."
    >
      <div className="flex flex-col gap-4">
        {isUsed && (
          <p className="border-l-2 border-fault pl-3">
            It is used in {formatCount(asset.uses, 'place')} on pages, which would break. The places are
            listed under “Uses” on its line.
          </p>
        )}
        <FormFoot error={removeAsset.error} code={removeCode(asset.id, isUsed)}>
          <Button look="fault" disabled={removeAsset.isPending} onClick={() => void remove().catch(() => {})}>
            {isUsed ? 'Move to bin anyway' : 'Move to bin'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function removeCode(id: string, isForced: boolean) {
  return {
    method: 'DELETE' as const,
    path: `/assets/${id}${isForced ? '?force=true' : ''}`,
    client: `await uniferum.assets.remove('${id}'${isForced ? ', { force: true }' : ''});\n// and back again:\nawait uniferum.assets.restore('${id}');`,
    command: commandLine('set', id, '--bin', ...(isForced ? ['--force'] : [])),
  };
}
