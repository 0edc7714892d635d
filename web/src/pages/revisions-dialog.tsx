import type { SitePageAnswer } from '@uniferum/core/pages';
import { useState } from 'react';
import { uniferum } from '../client.js';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { Dialog } from '../ui/dialog.js';
import { formatMoment } from '../ui/format.js';
import { FailureLine } from '../ui/notice.js';
import { useAction } from '../ui/use-action.js';
import { useRevision, useRevisions } from './page-hooks.js';
import { PagePreview } from './page-preview.js';

interface RevisionsDialogProps {
  page: SitePageAnswer;
  onClose: () => void;
  onRestored: () => void;
}

/** The states that a page had; any of them becomes the current one again. */
export function RevisionsDialog({ page, onClose, onRestored }: RevisionsDialogProps) {
  const { data: revisions = [], error } = useRevisions(page.id);
  const [chosen, setChosen] = useState<number | null>(null);
  const { data: shown } = useRevision(page.id, chosen);
  const restore = useAction((revision: number, call) => uniferum.pages.restore(page.id, revision, call));
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Revisions"
      description="Restoring makes an earlier state the current one; what is between stays in the list."
      className="w-[60rem]"
    >
      <FailureLine error={error ?? restore.error} />
      <div className="grid gap-4 sm:grid-cols-[16rem_minmax(0,1fr)]">
        <ul className="max-h-96 overflow-y-auto border-y border-rule text-sm">
          {revisions.map(({ revision, savedAt, savedBy, autosaved }) => (
            <li key={revision}>
              <button
                type="button"
                aria-pressed={revision === chosen}
                onClick={() => setChosen(revision)}
                className={classNames(
                  'block w-full border-b border-rule px-2 py-1.5 text-left hover:bg-oxide-wash',
                  revision === chosen && 'bg-oxide-wash',
                )}
              >
                <span className="font-medium">{formatMoment(savedAt)}</span>
                <span className="block text-xs text-soft">
                  {savedBy}
                  {autosaved && ', saved while writing'}
                  {revision === page.revision && ', current'}
                </span>
              </button>
            </li>
          ))}
        </ul>
        <div className="flex max-h-96 min-h-40 flex-col">
          {shown ? (
            <PagePreview html={shown.html} title={shown.title} />
          ) : (
            <p className="p-4 text-sm text-soft">Choose a revision to see it.</p>
          )}
        </div>
      </div>
      <Button
        look="main"
        className="mt-4 self-end"
        disabled={chosen === null || chosen === page.revision || restore.isPending}
        onClick={() => chosen !== null && restore.mutate(chosen, { onSuccess: onRestored })}
      >
        Restore
      </Button>
    </Dialog>
  );
}
