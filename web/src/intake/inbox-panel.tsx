import { useVirtualizer } from '@tanstack/react-virtual';
import type { InboxFile, InboxRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useMemo, useRef, useState } from 'react';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Checkbox, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { useInbox, useInboxChanges } from './hooks.js';

const ROW = 32;
const GRID =
  'grid grid-cols-[1.5rem_minmax(12rem,1.2fr)_6rem_8rem_minmax(10rem,1fr)_minmax(0,1.4fr)] items-center gap-4';

const MODES = [
  ['copy', 'Copy; the files stay in the inbox'],
  ['move', 'Move; the inbox is emptied'],
  ['place', 'Register where they lie'],
] as const;

/** What lies in the inbox: ticked files are taken in. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one form, whose fields share its state
export function InboxPanel({ folder }: { folder: string }) {
  const { data, error, isPending, refetch, isFetching } = useInbox(folder);
  const files = data?.items ?? [];
  const [unticked, setUnticked] = useState<ReadonlySet<string>>(new Set());
  const [mode, setMode] = useState<NonNullable<InboxRequest['mode']>>('copy');
  const taken = useMemo(
    () => files.filter(({ path, state }) => state === 'new' && !unticked.has(path)),
    [files, unticked],
  );
  const { rehearse, register } = useInboxChanges();
  const isAll = unticked.size === 0;
  const request: InboxRequest = { paths: isAll ? null : taken.map(({ path }) => path), mode, folder };
  if (error) return <ErrorNotice error={error} />;
  if (!isPending && files.length === 0)
    return (
      <EmptyPlace title="The inbox is empty" action={<Button onClick={() => refetch()}>Look again</Button>}>
        Files that arrive in the inbox folder of the server, by file transfer or a mounted drive, are listed
        here with what the rules say of them.
      </EmptyPlace>
    );
  const toggle = (path: string) =>
    setUnticked((before) => {
      const next = new Set(before);
      if (!next.delete(path)) next.add(path);
      return next;
    });
  const tickAll = (isTicked: boolean) =>
    setUnticked(isTicked ? new Set() : new Set(files.map(({ path }) => path)));
  const plan = rehearse.data?.plan;
  return (
    <div className="flex flex-col gap-3">
      <InboxCounts files={files} isFetching={isFetching} onRefresh={() => refetch()} />
      <InboxTable
        files={files}
        unticked={unticked}
        onToggle={toggle}
        isAllTicked={isAll}
        onTickAll={tickAll}
      />
      <FormFoot
        error={rehearse.error ?? register.error}
        code={{
          method: 'POST',
          path: '/inbox/register',
          body: request,
          client: `const { run } = await uniferum.inbox.register(${JSON.stringify(request, null, 2)});\nif (run) await uniferum.runs.wait(run.id);`,
          command: commandLine(
            'inbox',
            ...(request.paths ?? []),
            '--register',
            ...option('--mode', mode),
            ...option('--to', folder),
          ),
        }}
      >
        <Button
          look="main"
          disabled={taken.length === 0 || rehearse.isPending}
          onClick={() => rehearse.mutate(request)}
        >
          Rehearse
        </Button>
        <Button
          disabled={taken.length === 0 || register.isPending}
          onClick={() => {
            register.mutate(request);
            rehearse.reset();
          }}
        >
          Register {formatCount(taken.length, 'file')}
        </Button>
        <Select
          aria-label="How they are taken"
          className="w-64"
          value={mode}
          onChange={(event) => setMode(event.target.value as 'copy')}
        >
          {MODES.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Select>
        {plan && (
          <p role="status" className="text-sm">
            {formatCount(plan.totals.taken, 'file')} with {formatBytes(plan.totals.bytes)} would be taken in,{' '}
            {formatNumber(plan.totals.left)} left.
          </p>
        )}
        {register.data?.run === null && <p className="text-sm text-soft">Nothing of it was new.</p>}
      </FormFoot>
    </div>
  );
}

const COUNTED = ['new', 'refused', 'registered', 'coming', 'writing'] as const;

function InboxCounts({
  files,
  isFetching,
  onRefresh,
}: {
  files: readonly InboxFile[];
  isFetching: boolean;
  onRefresh: () => void;
}) {
  return (
    <div className="flex items-center gap-5">
      <span className="font-semibold">{formatCount(files.length, 'file')} in the inbox</span>
      {COUNTED.map((state) => {
        const count = files.filter((file) => file.state === state).length;
        return count > 0 ? <StateMark key={state} state={state} count={count} /> : null;
      })}
      <Button look="quiet" className="ml-auto" disabled={isFetching} onClick={onRefresh}>
        {isFetching ? 'Looking …' : 'Look again'}
      </Button>
    </div>
  );
}

function InboxTable({
  files,
  unticked,
  onToggle,
  isAllTicked,
  onTickAll,
}: {
  files: readonly InboxFile[];
  unticked: ReadonlySet<string>;
  onToggle: (path: string) => void;
  isAllTicked: boolean;
  onTickAll: (isTicked: boolean) => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: files.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  return (
    <div
      ref={scroller}
      className="overflow-y-auto border-y border-rule"
      style={{ height: Math.min(files.length * ROW + ROW + 2, 330) }}
    >
      <div role="table" aria-label="Files in the inbox" aria-rowcount={files.length + 1}>
        <div
          role="row"
          className={`${GRID} sticky top-0 z-10 h-8 border-b border-rule bg-ground text-sm text-soft`}
        >
          <span role="columnheader" className="flex">
            <Checkbox
              label=""
              aria-label="All that is new"
              checked={isAllTicked}
              onChange={(event) => onTickAll(event.target.checked)}
            />
          </span>
          {['File', 'Size', 'State', 'Goes into', 'What the rules say'].map((head) => (
            <span key={head} role="columnheader" className={head === 'Size' ? 'text-right' : ''}>
              {head}
            </span>
          ))}
        </div>
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const file = files[item.index];
            return (
              file && (
                <div
                  key={file.path}
                  role="row"
                  aria-rowindex={item.index + 2}
                  className={`${GRID} absolute w-full border-b border-rule text-sm`}
                  style={{ top: item.start, height: ROW }}
                >
                  <span role="cell" className="flex">
                    <Checkbox
                      label=""
                      aria-label={`Take ${file.path}`}
                      disabled={file.state !== 'new'}
                      checked={file.state === 'new' && !unticked.has(file.path)}
                      onChange={() => onToggle(file.path)}
                    />
                  </span>
                  <span role="cell" className="truncate font-medium" title={file.path}>
                    {file.path}
                  </span>
                  <span role="cell" className="figure text-right text-soft">
                    {formatBytes(file.bytes)}
                  </span>
                  <span role="cell">
                    <StateMark state={file.state} />
                  </span>
                  <span role="cell" className="truncate font-mono text-xs text-soft">
                    {file.folder}
                  </span>
                  <InboxReason file={file} />
                </div>
              )
            );
          })}
        </div>
      </div>
    </div>
  );
}

function InboxReason({ file }: { file: InboxFile }) {
  const text =
    file.state === 'writing'
      ? 'It is left alone until it is whole.'
      : file.verdict?.reasons.map(({ message }) => message).join(' ');
  return (
    <span role="cell" className="truncate text-soft" title={text}>
      {text}
    </span>
  );
}
