import { useQuery } from '@tanstack/react-query';
import { formatCount } from '@uniferum/core/intake';
import type { WorkerAnswer, WorkersAnswer } from '@uniferum/core/runs';
import { uniferum } from '../client.js';
import { useComposition } from '../console/composition.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { ProgressBar } from '../ui/progress-bar.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { Failures } from './failures.js';
import { RunsViews } from './runs-views.js';
import { ThroughputChart } from './throughput-chart.js';

const MINUTES = 60;

/** The workers, their activity and throughput, the queue, and failures by reason. */
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
              <Workers workers={data.workers} isIdle={alive.length === 0} />
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
      {queue.length === 0 && <p className="text-sm text-soft">The queue is empty.</p>}
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

interface WorkersProps {
  workers: readonly WorkerAnswer[];
  /** Nobody is processing the queue. */
  isIdle: boolean;
}

function Workers({ workers, isIdle }: WorkersProps) {
  return (
    <section aria-label="Workers">
      <h2 className="eyebrow pb-1">Workers</h2>
      {isIdle && (
        <EmptyPlace title="No worker is running">
          Items wait until one does. Start it on any host that reaches the database: npm run worker.
        </EmptyPlace>
      )}
      <ul>
        {workers.map((worker) => (
          <Worker key={worker.id} worker={worker} />
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
        <span className="text-ochre">gone, last seen {formatAgo(worker.seenAt)}</span>
      )}
      <span className="truncate text-soft">
        {worker.items.length === 0 ? 'idle' : worker.items.map(({ title }) => title).join(', ')}
      </span>
      <span className="figure text-soft">
        {formatNumber(worker.done)} done{worker.failed > 0 && `, ${formatNumber(worker.failed)} failed`} in
        the hour, {Math.round(worker.busy * 100)} % at work
      </span>
    </li>
  );
}
