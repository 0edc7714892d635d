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
  const remove = async () => {
    await removeAsset.mutateAsync(asset.id);
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
        <FormFoot error={removeAsset.error} code={removeCode(asset.id)}>
          <Button look="fault" disabled={removeAsset.isPending} onClick={() => void remove().catch(() => {})}>
            Move to bin
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function removeCode(id: string) {
  return {
    method: 'DELETE' as const,
    path: `/assets/${id}`,
    client: `await uniferum.assets.remove('${id}');\n// and back again:\nawait uniferum.assets.restore('${id}');`,
    command: commandLine('set', id, '--bin'),
  };
}
