import type { AssetSelection } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { CopiesDialog } from '../copies/copies-dialog.js';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { FailureLine } from '../ui/notice.js';
import { BulkDialog } from './bulk-dialog.js';
import { useBinRehearsal, useBulkChanges } from './hooks.js';
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
      {mayWrite && <Button onClick={() => setOpen({ job: 'copies', selection, count })}>Copies …</Button>}
      {mayDelete && <Button onClick={() => setOpen({ job: 'bin', selection, count })}>Move to bin</Button>}
      <Button look="quiet" onClick={clear}>
        Clear selection
      </Button>
      {open?.job === 'edit' && (
        <BulkDialog {...open} isOpen onOpenChange={() => setOpen(null)} onDone={clear} />
      )}
      {open?.job === 'copies' && <CopiesDialog {...open} onClose={() => setOpen(null)} />}
      {open?.job === 'bin' && <BinDialog {...open} onClose={() => setOpen(null)} onDone={clear} />}
    </section>
  );
}

interface OpenJob {
  job: 'edit' | 'copies' | 'bin';
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
  const { data: plan, error } = useBinRehearsal(selection);
  const [isForced, setForced] = useState(false);
  const blocked = plan?.totals.blocked ?? 0;
  const moved = isForced || !plan ? count : plan.totals.changed;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Move ${formatCount(count, 'asset')} to the bin?`}
      description="Their addresses stop working. They stay in the bin, and you can undo the run."
    >
      <FailureLine error={error} />
      {plan && blocked > 0 && (
        <section aria-label="Used on pages" className="flex flex-col gap-2 text-sm">
          <p className="text-fault">
            {formatCount(blocked, 'asset')} {blocked === 1 ? 'is' : 'are'} used on pages, which would break.
          </p>
          <ul className="max-h-40 overflow-y-auto border-y border-rule py-1">
            {plan.blocked.map(({ asset, name, message }) => (
              <li key={asset} className="truncate py-0.5" title={message} dir="auto">
                {name}
              </li>
            ))}
            {blocked > plan.blocked.length && (
              <li className="text-soft">and {formatNumber(blocked - plan.blocked.length)} more</li>
            )}
          </ul>
          <Checkbox
            label="Move these too"
            checked={isForced}
            onChange={(event) => setForced(event.target.checked)}
          />
        </section>
      )}
      <FormFoot error={act.error} code={binCode(selection, isForced)}>
        <Button
          look="fault"
          disabled={act.isPending || !plan || moved === 0}
          onClick={() =>
            act.mutate(binRequest(selection, isForced), {
              onSuccess: () => {
                onClose();
                onDone();
              },
            })
          }
        >
          {blocked > 0 ? `Move ${formatCount(moved, 'asset')} to bin` : 'Move to bin'}
        </Button>
      </FormFoot>
    </Dialog>
  );
}

function binRequest(select: AssetSelection, isForced: boolean) {
  return { select, action: 'bin' as const, ...(isForced && { force: true }) };
}

function binCode(selection: AssetSelection, isForced: boolean) {
  const request = binRequest(selection, isForced);
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
        ...(isForced ? ['--force'] : []),
      ),
    }),
  };
}
