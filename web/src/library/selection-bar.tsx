import type { AssetSelection } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { BulkDialog } from './bulk-dialog.js';
import { useBulkChanges } from './hooks.js';
import { toSelection, useSelection } from './selection.js';
import type { LibraryView } from './use-library-view.js';

/** The selection, and bulk actions. */
export function SelectionBar({ view, total }: { view: LibraryView; total: number }) {
  const { ids, isAll, chooseAll, clear } = useSelection();
  // A job acts on the selection with which its dialog was opened, whatever happens behind it.
  const [open, setOpen] = useState<OpenJob | null>(null);
  const mayWrite = useRight('library:write');
  const mayDelete = useRight('library:delete');
  const count = isAll ? total : ids.size;
  if (count === 0 && open === null) return null;
  const selection = toSelection({ ids, isAll }, { q: view.q, folder: view.folder, deep: view.deep });
  return (
    <section
      aria-label="Selection"
      className="flex h-10 items-center gap-3 border-b border-rule bg-oxide-wash px-6"
    >
      <p className="font-medium">
        {formatCount(count, 'asset')} selected{isAll && ', all results'}
      </p>
      {!isAll && count < total && (
        <Button look="quiet" onClick={chooseAll}>
          Select all {formatCount(total, 'result')}
        </Button>
      )}
      <span className="ml-auto" />
      {mayWrite && <Button onClick={() => setOpen({ job: 'edit', selection, count })}>Edit, move …</Button>}
      {mayDelete && <Button onClick={() => setOpen({ job: 'bin', selection, count })}>Move to bin</Button>}
      <Button look="quiet" onClick={clear}>
        Clear selection
      </Button>
      {open?.job === 'edit' && (
        <BulkDialog {...open} isOpen onOpenChange={() => setOpen(null)} onDone={clear} />
      )}
      {open?.job === 'bin' && <BinDialog {...open} onClose={() => setOpen(null)} onDone={clear} />}
    </section>
  );
}

interface OpenJob {
  job: 'edit' | 'bin';
  selection: AssetSelection;
  count: number;
}

interface BinDialogProps {
  selection: ReturnType<typeof toSelection>;
  count: number;
  onClose: () => void;
  onDone: () => void;
}

function BinDialog({ selection, count, onClose, onDone }: BinDialogProps) {
  const { act } = useBulkChanges();
  const request = { select: selection, action: 'bin' as const };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Move ${formatCount(count, 'asset')} to the bin?`}
      description="Their addresses stop working. They stay in the bin, and you can undo the run."
    >
      <FormFoot error={act.error} code={binCode(selection)}>
        <Button
          look="fault"
          disabled={act.isPending}
          onClick={() =>
            act.mutate(request, {
              onSuccess: () => {
                onClose();
                onDone();
              },
            })
          }
        >
          Move to bin
        </Button>
      </FormFoot>
    </Dialog>
  );
}

function binCode(selection: AssetSelection) {
  const request = { select: selection, action: 'bin' as const };
  return {
    method: 'POST' as const,
    path: '/assets/bulk',
    body: request,
    client: `const { run } = await uniferum.assets.act(${JSON.stringify(request, null, 2)});\n// and back again:\nawait uniferum.runs.undo(run.id);`,
    ...('q' in selection && {
      command: commandLine(
        'set',
        '--filter',
        selection.q ?? '',
        ...option('--in', selection.folder),
        '--bin',
      ),
    }),
  };
}
