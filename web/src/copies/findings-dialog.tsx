import type { AuditReason, FindingAnswer, StoreAnswer } from '@uniferum/core/copies';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { useFindings, useRepairRehearsal, useStoreChanges } from './hooks.js';

const REASONS: Record<AuditReason, string> = {
  missing: 'missing',
  size: 'other size',
  damaged: 'other checksum',
  surplus: 'unknown to the library',
};

/** What the latest audit found, and its repair. */
export function FindingsDialog({ store, onClose }: { store: StoreAnswer; onClose: () => void }) {
  const { data, error, hasNextPage, fetchNextPage } = useFindings(store.id);
  const [first] = data?.pages ?? [];
  const items = data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Findings in ${store.name}`}
      description={
        first?.auditedAt
          ? `The latest audit was ${formatAgo(first.auditedAt)}.`
          : 'What the latest audit found.'
      }
      className="w-[46rem]"
    >
      {error && <ErrorNotice error={error} />}
      {first && (
        <div className="flex flex-col gap-4">
          <ScrollRegion label="Findings" className="h-56 border-y border-rule">
            {first.total === 0 && (
              <p className="py-3 text-soft">
                {store.auditedAt || store.isHome
                  ? 'Nothing was found, or everything is repaired.'
                  : 'It has not been audited yet.'}
              </p>
            )}
            <ul>
              {items.map((finding) => (
                <FindingRow key={finding.id} finding={finding} />
              ))}
            </ul>
            {hasNextPage && (
              <Button look="quiet" onClick={() => void fetchNextPage()}>
                Show more
              </Button>
            )}
          </ScrollRegion>
          <p className="text-sm text-soft">
            {formatNumber(items.length)} of {formatCount(first.total, 'finding')}
          </p>
          {first.total > 0 && <Repair store={store} counts={first.reasons} onDone={onClose} />}
        </div>
      )}
    </Dialog>
  );
}

function FindingRow({ finding: { reason, asset, key, bytes } }: { finding: FindingAnswer }) {
  return (
    <li className="grid grid-cols-[9rem_minmax(0,1fr)_5rem] gap-4 border-b border-rule py-1 text-sm">
      <span className="text-fault">{REASONS[reason]}</span>
      <span className="min-w-0">
        {asset && (
          <span className="block truncate" dir="auto">
            {asset.name}
          </span>
        )}
        <span className="block truncate font-mono text-xs leading-5 text-soft">{key}</span>
      </span>
      <span className="figure text-right">{bytes === null ? '–' : formatBytes(bytes)}</span>
    </li>
  );
}

interface RepairProps {
  store: StoreAnswer;
  counts: Record<AuditReason, number>;
  onDone: () => void;
}

function Repair({ store, counts, onDone }: RepairProps) {
  const hasDamage = counts.missing + counts.size + counts.damaged > 0;
  const [restores, setRestores] = useState(hasDamage);
  const [deletes, setDeletes] = useState(false);
  const reasons: AuditReason[] = [
    ...(restores ? (['missing', 'size', 'damaged'] as const) : []),
    ...(deletes ? (['surplus'] as const) : []),
  ];
  const { data: plan, error } = useRepairRehearsal(store.id, reasons);
  const { repair } = useStoreChanges();
  const navigate = useNavigate();
  const apply = async () => {
    const { run } = await repair.mutateAsync({ id: store.id, reasons });
    onDone();
    void navigate(`/runs?run=${run.id}`);
  };
  const totals = reasons.length > 0 ? plan?.totals : undefined;
  return (
    <section aria-label="Repair" className="flex flex-col gap-2">
      {hasDamage && (
        <Checkbox
          label={`Store ${formatNumber(counts.missing + counts.size + counts.damaged)} again, from good copies`}
          checked={restores}
          onChange={(event) => setRestores(event.target.checked)}
        />
      )}
      {counts.surplus > 0 && (
        <Checkbox
          label={`Delete ${formatNumber(counts.surplus)} that the library does not know`}
          checked={deletes}
          onChange={(event) => setDeletes(event.target.checked)}
        />
      )}
      <p className="h-5 text-sm text-soft">
        {totals &&
          `${formatNumber(totals.store)} would be stored again, ${formatNumber(totals.delete)} deleted${
            totals.nothing > 0 ? `; ${formatNumber(totals.nothing)} have no good copy` : ''
          }.`}
      </p>
      <FormFoot
        error={error ?? repair.error}
        code={{
          ...{ method: 'POST', path: `/stores/${store.id}/repair`, body: { reasons } },
          client: `await uniferum.stores.repair('${store.id}', ${JSON.stringify(reasons)});`,
          command: commandLine('stores', store.id, '--repair', ...(restores ? [] : ['--surplus'])),
        }}
      >
        <Button
          look={deletes ? 'fault' : 'main'}
          disabled={!totals || totals.store + totals.delete === 0 || repair.isPending}
          onClick={() => void apply().catch(() => {})}
        >
          {deletes && !restores ? 'Delete them' : 'Repair'}
        </Button>
      </FormFoot>
    </section>
  );
}
