import type { InboxFile, InboxRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useMemo, useState } from 'react';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { useInbox, useInboxChanges } from './hooks.js';
import { InboxTable } from './inbox-table.js';

/** The files in the inbox: selected ones are imported. */
export function InboxPanel({ folder }: { folder: string }) {
  const { data, error, isPending, refetch, isFetching } = useInbox(folder);
  const files = data?.items ?? NO_FILES;
  const ticks = useTicks(files);
  if (error) return <ErrorNotice error={error} />;
  if (!isPending && files.length === 0)
    return (
      <EmptyPlace title="The inbox is empty" action={<Button onClick={() => refetch()}>Refresh</Button>}>
        Files placed in the server's inbox folder, by file transfer or a mounted drive, are listed here with
        the result of the rules.
      </EmptyPlace>
    );
  return (
    <div className="flex flex-col gap-3">
      <InboxCounts files={files} isFetching={isFetching} onRefresh={() => refetch()} />
      <InboxTable
        files={files}
        unticked={ticks.unticked}
        onToggle={ticks.toggle}
        isAllTicked={ticks.isAll}
        onTickAll={ticks.tickAll}
      />
      <RegisterFoot folder={folder} taken={ticks.taken} isAll={ticks.isAll} />
    </div>
  );
}

const NO_FILES: readonly InboxFile[] = [];

/** All new files are selected until the user deselects some. */
function useTicks(files: readonly InboxFile[]) {
  const [unticked, setUnticked] = useState<ReadonlySet<string>>(new Set());
  const taken = useMemo(
    () => files.filter(({ path, state }) => state === 'new' && !unticked.has(path)),
    [files, unticked],
  );
  const toggle = (path: string) =>
    setUnticked((before) => {
      const next = new Set(before);
      if (!next.delete(path)) next.add(path);
      return next;
    });
  const tickAll = (isTicked: boolean) =>
    setUnticked(isTicked ? new Set() : new Set(files.map(({ path }) => path)));
  return { unticked, taken, toggle, tickAll, isAll: unticked.size === 0 };
}

const MODES = [
  ['copy', 'Copy; files stay in the inbox'],
  ['move', 'Move; files leave the inbox'],
  ['place', 'Import in place'],
] as const;

interface RegisterFootProps {
  folder: string;
  /** The selected new files. */
  taken: readonly InboxFile[];
  /** Whether everything new is imported, including files that arrive until then. */
  isAll: boolean;
}

function RegisterFoot({ folder, taken, isAll }: RegisterFootProps) {
  const [mode, setMode] = useState<NonNullable<InboxRequest['mode']>>('copy');
  const { rehearse, register } = useInboxChanges();
  const request: InboxRequest = { paths: isAll ? null : taken.map(({ path }) => path), mode, folder };
  const apply = () => {
    register.mutate(request);
    rehearse.reset();
  };
  const plan = rehearse.data?.plan;
  return (
    <FormFoot error={rehearse.error ?? register.error} code={registerCode(request)}>
      <Button
        look="main"
        disabled={taken.length === 0 || rehearse.isPending}
        onClick={() => rehearse.mutate(request)}
      >
        Rehearse
      </Button>
      <Button disabled={taken.length === 0 || register.isPending} onClick={apply}>
        Import {formatCount(taken.length, 'file')}
      </Button>
      <ModeChoice mode={mode} onChoose={setMode} />
      {plan && (
        <p role="status" className="text-sm">
          {formatCount(plan.totals.taken, 'file')} with {formatBytes(plan.totals.bytes)} would be imported,{' '}
          {formatNumber(plan.totals.left)} skipped.
        </p>
      )}
      {register.data?.run === null && <p className="text-sm text-soft">There were no new files.</p>}
    </FormFoot>
  );
}

interface ModeChoiceProps {
  mode: string;
  onChoose: (mode: NonNullable<InboxRequest['mode']>) => void;
}

function ModeChoice({ mode, onChoose }: ModeChoiceProps) {
  return (
    <Select
      aria-label="Import mode"
      className="w-64"
      value={mode}
      onChange={(event) => onChoose(event.target.value as 'copy')}
    >
      {MODES.map(([value, words]) => (
        <option key={value} value={value}>
          {words}
        </option>
      ))}
    </Select>
  );
}

function registerCode(request: InboxRequest) {
  return {
    method: 'POST' as const,
    path: '/inbox/register',
    body: request,
    client: `const { run } = await uniferum.inbox.register(${JSON.stringify(request, null, 2)});\nif (run) await uniferum.runs.wait(run.id);`,
    command: commandLine(
      'inbox',
      ...(request.paths ?? []),
      '--import',
      ...option('--mode', request.mode),
      ...option('--to', request.folder),
    ),
  };
}

const COUNTED = ['new', 'refused', 'registered', 'coming', 'writing'] as const;

interface InboxCountsProps {
  files: readonly InboxFile[];
  isFetching: boolean;
  onRefresh: () => void;
}

function InboxCounts({ files, isFetching, onRefresh }: InboxCountsProps) {
  return (
    <div className="flex items-center gap-5">
      <span className="font-semibold">{formatCount(files.length, 'file')} in the inbox</span>
      {COUNTED.map((state) => {
        const count = files.filter((file) => file.state === state).length;
        return count > 0 ? <StateMark key={state} state={state} count={count} /> : null;
      })}
      <Button look="quiet" className="ml-auto" disabled={isFetching} onClick={onRefresh}>
        {isFetching ? 'Refreshing …' : 'Refresh'}
      </Button>
    </div>
  );
}
