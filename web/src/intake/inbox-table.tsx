import { useVirtualizer } from '@tanstack/react-virtual';
import type { InboxFile } from '@uniferum/client';
import { formatBytes } from '@uniferum/core/intake';
import { useRef } from 'react';
import { Checkbox } from '../ui/field.js';
import { StateMark } from '../ui/state-mark.js';

const ROW = 32;
const GRID =
  'grid grid-cols-[1.5rem_minmax(12rem,1.2fr)_6rem_8rem_minmax(10rem,1fr)_minmax(0,1.4fr)] items-center gap-4';

interface InboxTableProps {
  files: readonly InboxFile[];
  unticked: ReadonlySet<string>;
  onToggle: (path: string) => void;
  isAllTicked: boolean;
  onTickAll: (isTicked: boolean) => void;
}

/** The files of the inbox; only visible rows are rendered. */
export function InboxTable({ files, unticked, onToggle, isAllTicked, onTickAll }: InboxTableProps) {
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
      className="shrink-0 overflow-auto border-y border-rule"
      style={{ height: Math.min(files.length * ROW + ROW + 2, 330) }}
    >
      <div
        role="table"
        aria-label="Files in the inbox"
        className="min-w-[48rem]"
        aria-rowcount={files.length + 1}
      >
        <HeadRow isAllTicked={isAllTicked} onTickAll={onTickAll} />
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map(({ index, start }) => {
            const file = files[index];
            return (
              file && (
                <InboxRow
                  key={file.path}
                  file={file}
                  line={index}
                  top={start}
                  isTicked={!unticked.has(file.path)}
                  onToggle={() => onToggle(file.path)}
                />
              )
            );
          })}
        </div>
      </div>
    </div>
  );
}

function HeadRow({ isAllTicked, onTickAll }: Pick<InboxTableProps, 'isAllTicked' | 'onTickAll'>) {
  return (
    <div
      role="row"
      className={`${GRID} sticky top-0 z-10 h-8 border-b border-rule bg-ground text-sm text-soft`}
    >
      <span role="columnheader" className="flex">
        <Checkbox
          label=""
          aria-label="All new files"
          checked={isAllTicked}
          onChange={(event) => onTickAll(event.target.checked)}
        />
      </span>
      {['File', 'Size', 'State', 'Target folder', 'Result of the rules'].map((head) => (
        <span key={head} role="columnheader" className={head === 'Size' ? 'text-right' : ''}>
          {head}
        </span>
      ))}
    </div>
  );
}

interface InboxRowProps {
  file: InboxFile;
  /** Its position in the list, from 0. */
  line: number;
  /** Its offset from the top, in CSS pixels. */
  top: number;
  isTicked: boolean;
  onToggle: () => void;
}

function InboxRow({ file, line, top, isTicked, onToggle }: InboxRowProps) {
  return (
    <div
      role="row"
      aria-rowindex={line + 2}
      className={`${GRID} absolute w-full border-b border-rule text-sm`}
      style={{ top, height: ROW }}
    >
      <span role="cell" className="flex">
        <Checkbox
          label=""
          aria-label={`Import ${file.path}`}
          disabled={file.state !== 'new'}
          checked={file.state === 'new' && isTicked}
          onChange={onToggle}
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
  );
}

function InboxReason({ file }: { file: InboxFile }) {
  const text =
    file.state === 'writing'
      ? 'Skipped while it is still being written.'
      : file.verdict?.reasons.map(({ message }) => message).join(' ');
  return (
    <span role="cell" className="truncate text-soft" title={text}>
      {text}
    </span>
  );
}
