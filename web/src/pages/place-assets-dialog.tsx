import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { ReleasePlan, SiteAssetsAnswer } from '@uniferum/core/pages';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { ErrorNotice } from '../ui/notice.js';
import { useReleasePlan, useSiteAssetChanges } from './site-asset-hooks.js';

interface PlaceAssetsDialogProps {
  folder: SiteAssetsAnswer;
  onClose: () => void;
}

/** Shows what placing a folder would change, and places it. */
export function PlaceAssetsDialog({
  folder: { id, name, store, rewritePages },
  onClose,
}: PlaceAssetsDialogProps) {
  const { data: plan, error } = useReleasePlan(id);
  const { place } = useSiteAssetChanges();
  const submit = async () => {
    await place.mutateAsync(id);
    onClose();
  };
  const isSame = plan?.totals.changed === 0;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Place ${name}`}
      description={`All files are stored in ${store} under new addresses${rewritePages ? ', then pages are rewritten to them' : ''}. Earlier ones stay for 30 days, and as long as a page leads to them.`}
      className="w-[40rem]"
    >
      <div className="flex flex-col gap-5">
        {error && <ErrorNotice error={error} />}
        {!plan && !error && <p className="text-sm text-soft">Reading the folder …</p>}
        {plan && <Plan plan={plan} />}
        <FormFoot
          error={place.error}
          code={{
            method: 'POST',
            path: `/site-assets/${id}/place`,
            client: `const { run } = await uniferum.siteAssets.place('${id}');`,
            command: `uniferum site-assets ${id} --place`,
          }}
        >
          <Button
            look="main"
            disabled={!plan || isSame || place.isPending}
            onClick={() => void submit().catch(() => {})}
          >
            {plan ? `Place ${formatCount(plan.totals.files, 'file')}` : 'Place'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

const CHANGES: Record<ReleasePlan['items'][number]['change'], string> = {
  new: 'new',
  changed: 'changed',
  removed: 'no longer there',
  same: 'unchanged',
};
/** More is not read by anybody. */
const SHOWN = 200;

function Plan({ plan: { items, totals } }: { plan: ReleasePlan }) {
  const changed = items.filter(({ change }) => change !== 'same');
  const missing = [...new Set(items.flatMap((item) => item.missing))];
  return (
    <div className="flex flex-col gap-3">
      <p className="text-sm">
        {formatCount(totals.files, 'file')}, {formatBytes(totals.bytes)}:{' '}
        {totals.changed === 0 ? 'nothing has changed.' : `${totals.changed} changed.`}
        {totals.edits > 0 && ` ${formatCount(totals.edits, 'reference')} in style sheets rewritten.`}
        {totals.others > 0 && ` ${formatCount(totals.others, 'file')} of other kinds left out.`}
      </p>
      {missing.length > 0 && (
        <p className="text-sm text-fault">
          Missing in the folder: <span className="font-mono text-xs">{missing.slice(0, 10).join(', ')}</span>
          {missing.length > 10 && ` and ${missing.length - 10} more`}
        </p>
      )}
      {changed.length > 0 && (
        <ul className="max-h-64 overflow-y-auto border-y border-rule py-1 text-sm">
          {changed.slice(0, SHOWN).map(({ path, bytes, change }) => (
            <li key={path} className="grid grid-cols-[minmax(0,1fr)_auto_7rem] gap-4 py-0.5">
              <span className="truncate font-mono text-xs leading-5">{path}</span>
              <span className="figure text-soft">{formatBytes(bytes)}</span>
              <span className="text-soft">{CHANGES[change]}</span>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
