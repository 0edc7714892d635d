import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { formatCount } from '@uniferum/core/intake';
import type { FailureGroup, WorkerAnswer, WorkersAnswer } from '@uniferum/core/runs';
import { useRight } from '../access/hooks.js';
import { uniferum } from '../client.js';
import { useComposition } from '../console/composition.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { ProgressBar } from '../ui/progress-bar.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { RunsViews } from './runs-views.js';
import { ThroughputChart } from './throughput-chart.js';

const MINUTES = 60;

/** Who works, on what, how fast, what waits, and what failed for which reason. */
export function WorkersPage() {
  const { data, error } = useQuery({
    queryKey: ['workers'],
    refetchInterval: 2000,
    queryFn: () => uniferum.workers.get({ minutes: MINUTES }),
  });
  const alive = data?.workers.filter(({ isAlive }) => isAlive) ?? [];
  const slots = alive.reduce((sum, worker) => sum + worker.slots, 0);
  return (
    <Page
      title="Runs"
      note={data && `${formatCount(alive.length, 'worker')} with ${formatCount(slots, 'slot')}`}
      actions={
        <AsCode
          code={{
            method: 'GET',
            path: '/workers',
            client: 'const { workers, throughput, queue } = await uniferum.workers.get();',
            command: 'uniferum workers',
          }}
        />
      }
    >
      <RunsViews />
      {error && <ErrorNotice error={error} />}
      <ScrollRegion label="Workers and failures" className="min-h-0 flex-1 px-6 pb-6">
        {data && (
          <>
            <section aria-label="Throughput" className="pt-4">
              <h2 className="eyebrow">Items done in each of the last {MINUTES} minutes</h2>
              <ThroughputChart minutes={MINUTES} throughput={data.throughput} />
            </section>
            <div className="grid grid-cols-[minmax(0,2fr)_minmax(0,1fr)] gap-10 pt-4">
              <section aria-label="Workers">
                <h2 className="eyebrow pb-1">Workers</h2>
                {alive.length === 0 && (
                  <EmptyPlace title="No worker is running">
                    Items wait until one does. Start it on any host that reaches the database: npm run worker.
                  </EmptyPlace>
                )}
                <ul>
                  {data.workers.map((worker) => (
                    <Worker key={worker.id} worker={worker} />
                  ))}
                </ul>
              </section>
              <Queue queue={data.queue} />
            </div>
          </>
        )}
        <Failures />
      </ScrollRegion>
    </Page>
  );
}

function Queue({ queue }: { queue: WorkersAnswer['queue'] }) {
  const { runKinds } = useComposition();
  return (
    <section aria-label="Queue">
      <h2 className="eyebrow pb-1">Queue</h2>
      {queue.length === 0 && <p className="text-sm text-soft">Nothing is waiting.</p>}
      <ul>
        {queue.map(({ kind, waiting, working }) => (
          <li key={kind} className="flex justify-between border-t border-rule py-1.5 text-sm">
            <span>{runKinds.get(kind) ?? kind}</span>
            <span className="figure text-soft">
              {formatNumber(waiting)} waiting, {formatNumber(working)} in progress
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Worker({ worker }: { worker: WorkerAnswer }) {
  return (
    <li className="grid grid-cols-[minmax(0,11rem)_7rem_minmax(0,1fr)_auto] items-center gap-4 border-t border-rule py-1.5 text-sm">
      <span className="truncate font-medium" title={worker.id}>
        {worker.host} <span className="figure font-normal text-soft">{worker.pid}</span>
      </span>
      {worker.isAlive ? (
        <span className="flex items-center gap-2">
          <ProgressBar
            className="w-12"
            value={worker.items.length}
            max={Math.max(worker.slots, worker.items.length)}
            label={`Slots of ${worker.host} at work`}
          />
          <span className="figure text-soft">
            {Math.min(worker.items.length, worker.slots)} of {worker.slots}
          </span>
        </span>
      ) : (
        <span className="text-ochre">gone, seen {formatAgo(worker.seenAt)}</span>
      )}
      <span className="truncate text-soft">
        {worker.items.length === 0 ? 'waits' : worker.items.map(({ title }) => title).join(', ')}
      </span>
      <span className="figure text-soft">
        {formatNumber(worker.done)} done{worker.failed > 0 && `, ${formatNumber(worker.failed)} failed`} in
        the hour, {Math.round(worker.busy * 100)} % at work
      </span>
    </li>
  );
}

/** Failures of all runs by their reason, each group with one way to try it again. */
function Failures() {
  const { runKinds } = useComposition();
  const queries = useQueryClient();
  const mayControl = useRight('runs:write');
  const { data, error } = useQuery({
    queryKey: ['failures'],
    refetchInterval: 5000,
    queryFn: () => uniferum.workers.failures(),
  });
  const retry = useMutation({
    mutationFn: ({ reason, kind }: FailureGroup) => uniferum.workers.retryFailures({ reason, kind }),
    onSuccess: () => {
      for (const key of ['failures', 'workers', 'runs', 'active-runs'])
        void queries.invalidateQueries({ queryKey: [key] });
    },
  });
  const groups = data?.items ?? [];
  return (
    <section aria-label="Failures" className="pt-6">
      <h2 className="eyebrow pb-1">
        Failed items by their reason{data && data.total > 0 && `, ${formatNumber(data.total)} in all`}
      </h2>
      {data && groups.length === 0 && <p className="text-sm text-soft">None.</p>}
      {(error ?? retry.error) && <ErrorNotice error={error ?? retry.error} />}
      <ul>
        {groups.map((group) => (
          <li
            key={`${group.kind} ${group.reason}`}
            className="grid grid-cols-[3.5rem_minmax(0,1fr)_9rem_auto] items-center gap-4 border-t border-rule py-1.5 text-sm"
          >
            <span className="figure text-right text-fault">{formatNumber(group.count)}</span>
            <span className="min-w-0">
              <span className="block truncate" title={group.example}>
                {group.example}
              </span>
              <span className="block truncate text-xs text-soft">
                {runKinds.get(group.kind) ?? group.kind}
              </span>
            </span>
            <span className="text-soft">{formatAgo(group.lastAt)}</span>
            <span className="flex items-center">
              {mayControl && (
                <Button className="h-7" disabled={retry.isPending} onClick={() => retry.mutate(group)}>
                  Retry {group.count === 1 ? 'it' : `these ${formatNumber(group.count)}`}
                </Button>
              )}
              <AsCode
                code={{
                  method: 'POST',
                  path: '/runs/failures/retry',
                  body: { reason: group.reason, kind: group.kind },
                  client: `await uniferum.workers.retryFailures(${JSON.stringify({ reason: group.reason, kind: group.kind }, null, 2)});`,
                }}
              />
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
