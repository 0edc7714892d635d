import { formatBytes, formatCount, type Intake, type IntakeWay } from '@uniferum/core/intake';
import { ChevronRight } from 'lucide-react';
import { Collapsible } from 'radix-ui';
import { useState } from 'react';
import { Link } from 'react-router';
import { uniferum } from '../client.js';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { formatMoment, formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { useIntakeFiles, useIntakes } from './hooks.js';

/** Earlier intakes with the verdict of every file, including refused ones. */
export function EarlierIntakes() {
  const { data, error, refetch, hasNextPage, fetchNextPage } = useIntakes();
  const intakes = data?.pages.flatMap(({ items }) => items) ?? [];
  const total = data?.pages[0]?.total ?? 0;
  if (!data) return error && <ErrorNotice error={error} onRetry={() => void refetch()} />;
  return (
    <section aria-label="Intake history">
      <div className="flex h-10 items-baseline gap-4">
        <h2 className="font-semibold">Intake history</h2>
        <span className="figure text-soft">
          {formatNumber(intakes.length)} of {formatNumber(total)}
        </span>
      </div>
      {intakes.length === 0 && (
        <p className="text-soft">
          Every import, from here or from a script, is listed here with its verdicts.
        </p>
      )}
      <ul className="border-t border-rule">
        {intakes.map((intake) => (
          <IntakeRow key={intake.id} intake={intake} />
        ))}
      </ul>
      {hasNextPage && (
        <Button look="quiet" className="mt-2" onClick={() => fetchNextPage()}>
          Show older intakes
        </Button>
      )}
    </section>
  );
}

function IntakeRow({ intake }: { intake: Intake }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <li className="border-b border-rule">
      <Collapsible.Root open={isOpen} onOpenChange={setOpen}>
        <Collapsible.Trigger className="grid w-full grid-cols-[1rem_10rem_minmax(0,1fr)_8rem_6rem_7rem_7.5rem_6.5rem] items-baseline gap-4 py-1.5 text-left text-sm hover:bg-surface">
          <ChevronRight
            className={classNames('size-3.5 self-center text-soft', isOpen && 'rotate-90')}
            aria-hidden="true"
          />
          <span className="text-soft">{formatMoment(intake.startedAt)}</span>
          <span className="truncate">
            <span className="font-medium">{intake.folder}</span>{' '}
            <span className="text-soft">
              {WAY_WORDS[intake.way]}
              {intake.label && `: ${intake.label}`}
            </span>
          </span>
          <span className="truncate text-soft">{intake.by}</span>
          <span className="figure text-right text-soft">{formatBytes(intake.bytes)}</span>
          <Count state="accepted" count={intake.accepted} />
          <Count state="warned" count={intake.warned} />
          <Count state="refused" count={intake.refused} />
        </Collapsible.Trigger>
        <Collapsible.Content>{isOpen && <IntakeFiles intake={intake} />}</Collapsible.Content>
      </Collapsible.Root>
    </li>
  );
}

function Count({ state, count }: { state: 'accepted' | 'warned' | 'refused'; count: number }) {
  return count > 0 ? <StateMark state={state} count={count} /> : <span />;
}

const WAY_WORDS: Record<IntakeWay, string> = {
  upload: 'by upload',
  resumable: 'by upload in pieces',
  archive: 'from an archive',
  inbox: 'from the inbox',
  address: 'by address',
  manifest: 'by manifest',
  link: 'as a link',
};

function IntakeFiles({ intake }: { intake: Intake }) {
  const { id, run } = intake;
  const { data, error, refetch, hasNextPage, fetchNextPage } = useIntakeFiles(id);
  const files = data?.pages.flatMap(({ items }) => items) ?? [];
  const total = data?.pages[0]?.total ?? 0;
  return (
    <div className="mb-3 ml-8 border-l-2 border-oxide pl-4">
      <p className="flex gap-5 py-1 text-sm">
        <span className="text-soft">Report:</span>
        <a href={uniferum.intakes.reportUrl(id, 'csv')} className="text-oxide hover:underline">
          as a table (CSV)
        </a>
        <a href={uniferum.intakes.reportUrl(id, 'json')} className="text-oxide hover:underline">
          as JSON
        </a>
        {run && (
          <Link to={`/runs?run=${run}`} className="text-oxide hover:underline">
            Run
          </Link>
        )}
      </p>
      {error && <ErrorNotice error={error} onRetry={() => void refetch()} />}
      <ul>
        {files.map(({ id: key, verdict, bytes }) => (
          <li
            key={key}
            className="grid grid-cols-[minmax(0,18rem)_5rem_7rem_minmax(0,1fr)] items-baseline gap-4 py-0.5 text-sm"
          >
            <span className="truncate">{verdict.name}</span>
            <span className="figure text-right text-soft">{formatBytes(bytes)}</span>
            <StateMark state={verdict.outcome} />
            <span className="text-soft">{verdict.reasons.map(({ message }) => message).join(' ')}</span>
          </li>
        ))}
      </ul>
      {hasNextPage && (
        <Button look="quiet" onClick={() => fetchNextPage()}>
          Show more of {formatCount(total, 'file')}
        </Button>
      )}
    </div>
  );
}
