import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { FailureGroup } from '@uniferum/core/runs';
import { useRight } from '../access/hooks.js';
import { uniferum } from '../client.js';
import { useComposition } from '../console/composition.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { useAction } from '../ui/use-action.js';

/** Failures of all runs grouped by reason, each group with a button to retry it. */
export function Failures() {
  const { data, error } = useQuery({
    queryKey: ['failures'],
    refetchInterval: 5000,
    queryFn: () => uniferum.workers.failures(),
  });
  const retry = useRetry();
  return (
    <section aria-label="Failures" className="pt-6">
      <h2 className="eyebrow pb-1">
        Failed items by reason{data && data.total > 0 && `, ${formatNumber(data.total)} in all`}
      </h2>
      {data?.items.length === 0 && <p className="text-sm text-soft">None.</p>}
      {(error ?? retry.error) && <ErrorNotice error={error ?? retry.error} />}
      <ul>
        {data?.items.map((group) => (
          <FailureRow
            key={`${group.kind} ${group.reason}`}
            group={group}
            isBusy={retry.isPending}
            onRetry={() => retry.mutate(group)}
          />
        ))}
      </ul>
    </section>
  );
}

function useRetry() {
  const queries = useQueryClient();
  return useAction(
    ({ reason, kind }: FailureGroup, call) => uniferum.workers.retryFailures({ reason, kind }, call),
    {
      onSuccess: () => {
        for (const key of ['failures', 'workers', 'runs', 'active-runs'])
          void queries.invalidateQueries({ queryKey: [key] });
      },
    },
  );
}

function retryCode({ reason, kind }: FailureGroup) {
  const body = { reason, kind };
  return {
    method: 'POST' as const,
    path: '/runs/failures/retry',
    body,
    client: `await uniferum.workers.retryFailures(${JSON.stringify(body, null, 2)});`,
  };
}

interface FailureRowProps {
  group: FailureGroup;
  isBusy: boolean;
  onRetry: () => void;
}

function FailureRow({ group, isBusy, onRetry }: FailureRowProps) {
  const { runKinds } = useComposition();
  const mayControl = useRight('runs:write');
  const kind = runKinds.get(group.kind) ?? group.kind;
  const words = `Retry ${group.count === 1 ? 'it' : `these ${formatNumber(group.count)}`}`;
  return (
    <li className="grid grid-cols-[3.5rem_minmax(0,1fr)_9rem_auto] items-center gap-4 border-t border-rule py-1.5 text-sm">
      <span className="figure text-right text-fault">{formatNumber(group.count)}</span>
      <span className="min-w-0">
        <span className="block truncate" title={group.example}>
          {group.example}
        </span>
        <span className="block truncate text-xs text-soft">{kind}</span>
      </span>
      <span className="text-soft">{formatAgo(group.lastAt)}</span>
      <span className="flex items-center">
        {mayControl && (
          <Button
            className="h-7"
            aria-label={`${words}: ${group.example}`}
            disabled={isBusy}
            onClick={onRetry}
          >
            {words}
          </Button>
        )}
        <AsCode code={retryCode(group)} />
      </span>
    </li>
  );
}
