import type { AssetSelection } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import { Dialog } from '../ui/dialog.js';
import { CopiesForm } from './copies-form.js';

interface CopiesDialogProps {
  selection: AssetSelection;
  count: number;
  onClose: () => void;
}

/** Adds, drops or fetches the copies of a selection. */
export function CopiesDialog({ selection, count, onClose }: CopiesDialogProps) {
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Copies of ${formatCount(count, 'asset')}`}
      description="Versions and renditions are copied together. The last good copy of a file is never dropped."
      className="w-[40rem]"
    >
      <CopiesForm select={selection} onDone={onClose} />
    </Dialog>
  );
}
