import { formatBytes } from '@uniferum/core/intake';
import { endedItems, type Run, type RunItem } from '@uniferum/core/runs';
import { useSearchParams } from 'react-router';
import { Page } from '../console/page.js';
import { type ActionCode, AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { commandLine } from '../ui/command-line.js';
import { Checkbox } from '../ui/field.js';
import { formatMoment, formatNumber, formatSeconds } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { ProgressBar } from '../ui/progress-bar.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { StateMark } from '../ui/state-mark.js';
import { TextLink } from '../ui/text-link.js';
import { useAddressValue } from '../ui/use-address-value.js';
import { useRun, useRunItems, useRuns } from './hooks.js';
import { RunActions, steeringOf } from './run-actions.js';
import { HeldReason, runFigures } from './run-progress.js';
import { RunsViews } from './runs-views.js';

/** All runs, and the items of the selected one. */
export function RunsPage() {
  const [search, setSearch] = useSearchParams();
  const { data, error, isLoading, hasNextPage, fetchNextPage } = useRuns();
  const runs = data?.pages.flatMap(({ items }) => items) ?? [];
  const wanted = search.get('run');
  const named = useRun(wanted);
  const chosen = (wanted === null ? runs[0] : (runs.find(({ id }) => id === wanted) ?? named.data)) ?? null;
  const total = data?.pages[0]?.total ?? 0;
  return (
    <Page
      title="Runs"
      note={data && `${formatNumber(runs.length)} of ${formatNumber(total)}`}
      actions={chosen && <RunCode run={chosen} />}
    >
      <RunsViews />
      {error && <ErrorNotice error={error} />}
      {!isLoading && runs.length === 0 && !error ? (
        <NoRun />
      ) : (
        <div className="grid min-h-0 flex-1 grid-rows-[fit-content(40%)_minmax(0,1fr)]">
          <div className="overflow-y-auto">
            <RunTable runs={runs} chosenId={chosen?.id ?? null} onChoose={(id) => setSearch({ run: id })} />
            {hasNextPage && (
              <Button look="quiet" className="m-3" onClick={() => fetchNextPage()}>
                Show older runs
              </Button>
            )}
          </div>
          {chosen && <RunDetail run={chosen} />}
          {!chosen && named.error && (
            <div className="border-t border-rule-strong p-6">
              <ErrorNotice error={named.error} />
            </div>
          )}
        </div>
      )}
    </Page>
  );
}

function NoRun() {
  return (
    <div className="px-6">
      <EmptyPlace title="No run yet" action={<TextLink to="/intake">Import pictures</TextLink>}>
        Background work appears here, such as creating renditions. Each run lists the result of every item.
      </EmptyPlace>
    </div>
  );
}

function RunCode({ run }: { run: Run }) {
  const verb = steeringOf(run)[0];
  const code: ActionCode = verb
    ? {
        method: 'POST',
        path: `/runs/${run.id}/${verb}`,
        client: `await uniferum.runs.${verb}('${run.id}');`,
        command: commandLine('runs', run.id, `--${verb}`),
      }
    : {
        method: 'GET',
        path: `/runs/${run.id}`,
        client: `const run = await uniferum.runs.wait('${run.id}');`,
        command: commandLine('runs', run.id, '--wait'),
      };
  return <AsCode code={code} />;
}

interface RunTableProps {
  runs: readonly Run[];
  chosenId: string | null;
  onChoose: (id: string) => void;
}

function RunTable({ runs, chosenId, onChoose }: RunTableProps) {
  return (
    <table className="w-full text-sm">
      <thead className="sticky top-0 z-10 bg-ground text-left text-soft">
        <tr className="[&>th]:border-b [&>th]:border-rule [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-normal [&>th:first-child]:pl-6 [&>th:last-child]:pr-6">
          <th>State</th>
          <th>Run</th>
          <th className="w-48">Progress</th>
          <th>Items</th>
          <th>Started</th>
          <th className="text-right">Duration</th>
          <th>
            <span className="sr-only">Actions</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => (
          <RunRow key={run.id} run={run} isChosen={run.id === chosenId} onChoose={() => onChoose(run.id)} />
        ))}
      </tbody>
    </table>
  );
}

interface RunRowProps {
  run: Run;
  isChosen: boolean;
  onChoose: () => void;
}

function RunRow({ run, isChosen, onChoose }: RunRowProps) {
  return (
    <tr
      className={classNames(
        '[&>td]:border-b [&>td]:border-rule [&>td]:px-3 [&>td]:py-1.5 [&>td:first-child]:pl-6 [&>td:last-child]:pr-6',
        isChosen && 'bg-oxide-wash',
      )}
    >
      <td>
        <StateMark state={run.state} />
      </td>
      <td>
        <button
          type="button"
          aria-pressed={isChosen}
          onClick={onChoose}
          className="font-medium hover:underline"
        >
          {run.title}
        </button>
        <HeldReason run={run} className="max-w-[36rem]" />
      </td>
      <td>
        <ProgressBar value={endedItems(run)} max={run.total} label={`Progress of ${run.title}`} />
      </td>
      <td className="figure">{runFigures(run)}</td>
      <td className="text-soft">{formatMoment(run.createdAt)}</td>
      <td className="figure text-right">{tookSeconds(run)}</td>
      <td className="w-px text-right">
        <RunActions run={run} className="h-6" />
      </td>
    </tr>
  );
}

function RunDetail({ run }: { run: Run }) {
  const [listed, setListed] = useAddressValue('items');
  const onlyFailed = listed === 'failed';
  const { data, error, refetch, hasNextPage, fetchNextPage } = useRunItems(
    run.id,
    onlyFailed ? 'failed' : null,
  );
  const items = data?.pages.flatMap((page) => page.items) ?? [];
  const total = data?.pages[0]?.total ?? 0;
  return (
    <section
      aria-label={`Items of ${run.title}`}
      className="flex min-h-0 flex-col border-t border-rule-strong bg-surface"
    >
      <div className="flex items-center gap-6 px-6 py-2">
        <h2 className="font-semibold">{run.title}</h2>
        <span className="figure text-soft">
          {formatNumber(items.length)} of {formatNumber(total)}
        </span>
        {run.failed > 0 && (
          <Checkbox
            label={`Only the ${formatNumber(run.failed)} that failed`}
            checked={onlyFailed}
            onChange={(event) => setListed(event.target.checked ? 'failed' : null)}
          />
        )}
      </div>
      <ScrollRegion label="Items" className="min-h-0 flex-1 border-t border-rule">
        {error && <ErrorNotice error={error} onRetry={() => void refetch()} />}
        <ul>
          {items.map((item) => (
            <ItemRow key={item.id} item={item} />
          ))}
        </ul>
        {hasNextPage && (
          <Button look="quiet" className="m-3" onClick={() => fetchNextPage()}>
            Show the next {Math.min(100, total - items.length)}
          </Button>
        )}
      </ScrollRegion>
    </section>
  );
}

function ItemRow({ item }: { item: RunItem }) {
  return (
    <li className="grid grid-cols-[7rem_minmax(0,18rem)_minmax(0,1fr)_auto] items-baseline gap-4 border-b border-rule px-6 py-1 text-sm">
      <StateMark state={item.state} />
      <span className="truncate">{item.title}</span>
      <span className={item.error ? 'text-fault' : 'text-soft'}>{item.error ?? item.note}</span>
      <span className="figure text-soft">
        {item.bytes && item.bytes.before + item.bytes.after > 0
          ? `${formatBytes(item.bytes.before)} → ${formatBytes(item.bytes.after)}`
          : ''}
        {item.attempts > 1 && ` ${item.attempts} attempts`}
      </span>
    </li>
  );
}

function tookSeconds({ startedAt, finishedAt }: Run): string {
  if (startedAt === null || finishedAt === null) return '';
  return formatSeconds((Date.parse(finishedAt) - Date.parse(startedAt)) / 1000);
}
