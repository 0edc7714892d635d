import type { SurplusRendition, SurplusRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { useRecipeChanges, useRemovalRehearsal } from './hooks.js';
import { keyOfSurplus, removalCode } from './surplus.js';

/** Rehearses deleting surplus renditions, with the target of each redirect, then starts it. */
export function RemovalDialog({ request, onClose }: { request: SurplusRequest; onClose: () => void }) {
  const { data: plan, error } = useRemovalRehearsal(request);
  const { removeSurplus } = useRecipeChanges();
  const navigate = useNavigate();
  const apply = async () => {
    const { run } = await removeSurplus.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Rehearse a deletion"
      description="Each address redirects to the nearest remaining rendition. You can undo the run for 30 days."
      className="w-[52rem]"
    >
      <div className="flex flex-col gap-4">
        <RemovalList items={plan?.items ?? []} />
        <p className="h-5 text-sm text-soft">
          {plan &&
            `${formatNumber(plan.items.length)} of ${formatCount(plan.totals.items, 'file')} listed; ${formatBytes(plan.totals.bytes)} would be freed after 30 days.`}
        </p>
        {plan && plan.totals.used > 0 && (
          <p className="text-sm text-fault">
            {formatCount(plan.totals.used, 'file')} {plan.totals.used === 1 ? 'is' : 'are'} shown on pages.
            Those pages will show what the address redirects to.
          </p>
        )}
        <FormFoot error={error ?? removeSurplus.error} code={removalCode(request)}>
          <Button
            look="main"
            disabled={!plan || plan.totals.items === 0 || removeSurplus.isPending}
            onClick={() => void apply().catch(() => {})}
          >
            {plan ? `Delete ${formatCount(plan.totals.items, 'file')}` : 'Rehearsing …'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function RemovalList({ items }: { items: readonly (SurplusRendition & { leadsTo: string })[] }) {
  return (
    <ScrollRegion label="What would be deleted" className="h-64 border-y border-rule">
      <ul>
        {items.map((item) => (
          <li
            key={keyOfSurplus(item)}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_5rem] gap-4 border-b border-rule py-1 font-mono text-xs"
          >
            <span className="truncate">{decodeURI(new URL(item.url).pathname)}</span>
            <span className="truncate text-soft">→ {decodeURI(new URL(item.leadsTo).pathname)}</span>
            <span className="text-right">{formatBytes(item.bytes)}</span>
          </li>
        ))}
      </ul>
    </ScrollRegion>
  );
}
