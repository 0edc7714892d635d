import { endedItems, isActive, type Run } from '@uniferum/core/runs';
import { ChevronDown, ChevronUp } from 'lucide-react';
import { Collapsible } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import { useLive } from '../console/live.js';
import { useUploads } from '../intake/uploads.js';
import { formatSeconds } from '../ui/format.js';
import { ProgressBar } from '../ui/progress-bar.js';
import { StateMark } from '../ui/state-mark.js';
import { useActiveRuns } from './hooks.js';
import { RunActions } from './run-actions.js';
import { HeldReason, runFigures } from './run-progress.js';

/** The bar at the bottom with the active runs. Expands upward to list all of them. */
export function RunBar() {
  const [isOpen, setOpen] = useState(false);
  const { data: runs = [] } = useActiveRuns();
  const going = runs.filter(({ state }) => isActive(state));
  const first = going[0] ?? null;
  return (
    <Collapsible.Root open={isOpen} onOpenChange={setOpen} asChild>
      <footer aria-label="Run activity" className="border-t border-rule-strong bg-surface">
        <Collapsible.Content className="max-h-72 overflow-y-auto border-b border-rule px-6 py-2">
          <RunList runs={runs} />
        </Collapsible.Content>
        <div className="flex h-9 items-center gap-4 pr-3 pl-6">
          <ConnectionNote />
          <UploadSummary />
          {first ? <RunSummary run={first} more={going.length - 1} /> : <LastRun run={runs[0] ?? null} />}
          <Collapsible.Trigger className="inline-flex h-7 shrink-0 items-center gap-1.5 rounded-[3px] px-2 text-sm whitespace-nowrap text-soft hover:text-ink">
            {isOpen ? 'Close' : 'Active runs'}
            {isOpen ? (
              <ChevronDown className="size-4" aria-hidden="true" />
            ) : (
              <ChevronUp className="size-4" aria-hidden="true" />
            )}
          </Collapsible.Trigger>
        </div>
      </footer>
    </Collapsible.Root>
  );
}

/** Says that the server cannot be reached, and what becomes of what is sent meanwhile. */
function ConnectionNote() {
  const isConnected = useLive((state) => state.isConnected);
  if (isConnected) return null;
  return (
    <p role="status" className="text-sm font-medium whitespace-nowrap text-ochre">
      Offline. What you send now is sent once the connection is back.
    </p>
  );
}

function RunSummary({ run, more }: { run: Run; more: number }) {
  return (
    <div className="flex min-w-0 flex-1 items-center gap-4 overflow-hidden max-md:gap-2">
      <StateMark state={run.state} />
      <Link to={`/runs?run=${run.id}`} className="truncate font-medium hover:underline">
        {run.title}
      </Link>
      <ProgressBar
        className="w-48 shrink-0 max-md:hidden"
        value={endedItems(run)}
        max={run.total}
        label={`Progress of ${run.title}`}
      />
      <span className="figure shrink-0 text-soft max-md:hidden">{runFigures(run)}</span>
      <HeldReason run={run} className="min-w-0" />
      {more > 0 && <span className="text-sm whitespace-nowrap text-soft">and {more} more</span>}
      <span className="ml-auto" />
      <RunActions run={run} className="h-6" />
    </div>
  );
}

function LastRun({ run }: { run: Run | null }) {
  return (
    <p className="flex min-w-0 flex-1 items-center gap-3 overflow-hidden text-sm whitespace-nowrap text-soft">
      {run ? (
        <>
          <StateMark state={run.state} /> {run.title} <span className="figure">{runFigures(run)}</span>
        </>
      ) : (
        'No active runs.'
      )}
    </p>
  );
}

function UploadSummary() {
  const { sentBytes, totalBytes, isSending, startedAt } = useUploads((state) => state.progress);
  if (!isSending) return null;
  const elapsed = (Date.now() - startedAt) / 1000;
  const left = sentBytes > 0 ? (elapsed * (totalBytes - sentBytes)) / sentBytes : null;
  return (
    <Link to="/intake" className="flex items-center gap-3 text-sm font-medium hover:underline">
      Sending
      <ProgressBar className="w-28" value={sentBytes} max={totalBytes} label="Progress of sending" />
      {left !== null && <span className="figure text-soft">{formatSeconds(left)} left</span>}
    </Link>
  );
}

function RunList({ runs }: { runs: readonly Run[] }) {
  if (runs.length === 0)
    return (
      <p className="py-1 text-sm text-soft">
        Active runs are listed here with their progress. Importing pictures starts one.
      </p>
    );
  return (
    <ul>
      {runs.map((run) => (
        <li
          key={run.id}
          className="grid grid-cols-[7rem_minmax(0,1fr)_12rem_minmax(0,20rem)_auto] items-center gap-4 border-t border-rule py-1.5 first:border-t-0"
        >
          <StateMark state={run.state} />
          <span className="min-w-0">
            <Link to={`/runs?run=${run.id}`} className="block truncate hover:underline">
              {run.title}
            </Link>
            <HeldReason run={run} />
          </span>
          <ProgressBar value={endedItems(run)} max={run.total} label={`Progress of ${run.title}`} />
          <span className="figure text-soft">{runFigures(run)}</span>
          <span className="flex justify-end">
            <RunActions run={run} className="h-6" />
          </span>
        </li>
      ))}
    </ul>
  );
}
