import type { InboxState } from '@uniferum/client';
import type { CopyState } from '@uniferum/core/copies';
import type { Outcome } from '@uniferum/core/intake';
import type { RenditionState } from '@uniferum/core/recipes';
import type { ItemState, RunState } from '@uniferum/core/runs';
import { classNames } from './class-names.js';

type PageState = 'draft' | 'published';

type Shape = 'disc' | 'ring' | 'half' | 'triangle' | 'square' | 'diamond' | 'dash';

interface Look {
  word: string;
  shape: Shape;
  colour: string;
}

const GOOD = 'text-verdigris';
const WAITING = 'text-ochre';
const FAULT = 'text-fault';
const QUIET = 'text-soft';

/** Every state shown anywhere: its word, shape and colour. */
const LOOKS: Record<
  RunState | ItemState | Outcome | RenditionState | InboxState | PageState | CopyState | 'broken',
  Look
> = {
  waiting: { word: 'waiting', shape: 'ring', colour: WAITING },
  working: { word: 'working', shape: 'half', colour: WAITING },
  stopping: { word: 'stopping', shape: 'square', colour: WAITING },
  stopped: { word: 'stopped', shape: 'square', colour: QUIET },
  done: { word: 'done', shape: 'disc', colour: GOOD },
  faulty: { word: 'finished with errors', shape: 'diamond', colour: FAULT },
  failed: { word: 'failed', shape: 'triangle', colour: FAULT },
  skipped: { word: 'skipped', shape: 'dash', colour: QUIET },
  accepted: { word: 'accepted', shape: 'disc', colour: GOOD },
  warned: { word: 'with warnings', shape: 'diamond', colour: WAITING },
  refused: { word: 'refused', shape: 'triangle', colour: FAULT },
  fresh: { word: 'fresh', shape: 'disc', colour: GOOD },
  due: { word: 'due', shape: 'ring', colour: WAITING },
  'on-request': { word: 'on request', shape: 'dash', colour: QUIET },
  'not-applicable': { word: 'does not apply', shape: 'dash', colour: QUIET },
  outdated: { word: 'outdated', shape: 'diamond', colour: WAITING },
  new: { word: 'new', shape: 'ring', colour: WAITING },
  registered: { word: 'imported', shape: 'disc', colour: GOOD },
  coming: { word: 'importing', shape: 'half', colour: WAITING },
  writing: { word: 'being written', shape: 'dash', colour: QUIET },
  draft: { word: 'draft', shape: 'ring', colour: QUIET },
  published: { word: 'published', shape: 'disc', colour: GOOD },
  broken: { word: 'broken', shape: 'triangle', colour: FAULT },
  surplus: { word: 'surplus', shape: 'dash', colour: QUIET },
  wanted: { word: 'waiting', shape: 'ring', colour: WAITING },
  uploading: { word: 'uploading', shape: 'half', colour: WAITING },
  stored: { word: 'stored', shape: 'disc', colour: GOOD },
  damaged: { word: 'damaged', shape: 'triangle', colour: FAULT },
  removing: { word: 'being deleted', shape: 'dash', colour: QUIET },
};

export type AnyState = keyof typeof LOOKS;

interface StateMarkProps {
  state: AnyState;
  count?: number | undefined;
  /** Shape and count only, where space is limited; the word is available to screen readers and on hover. */
  isWordHidden?: boolean;
  className?: string;
}

/** A state as word and shape. */
export function StateMark({ state, count, isWordHidden = false, className }: StateMarkProps) {
  const { word, shape, colour } = LOOKS[state];
  return (
    <span
      title={isWordHidden ? word : undefined}
      className={classNames('inline-flex items-center gap-1.5 text-sm whitespace-nowrap', colour, className)}
    >
      <StateShape shape={shape} />
      {count !== undefined && <span className="figure">{count.toLocaleString('en-GB')}</span>}{' '}
      <span className={classNames(isWordHidden && 'sr-only')}>{word}</span>
    </span>
  );
}

function StateShape({ shape }: { shape: Shape }) {
  return (
    <svg viewBox="0 0 12 12" className="size-2.5 shrink-0" aria-hidden="true" fill="currentColor">
      {SHAPES[shape]}
    </svg>
  );
}

const SHAPES: Record<Shape, React.JSX.Element> = {
  disc: <circle cx="6" cy="6" r="5" />,
  ring: <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="2" />,
  half: (
    <>
      <circle cx="6" cy="6" r="4.2" fill="none" stroke="currentColor" strokeWidth="1.6" />
      <path d="M6 1.8a4.2 4.2 0 0 1 0 8.4z" />
    </>
  ),
  triangle: <path d="M6 0.8 11.6 11H0.4z" />,
  square: <rect x="1.5" y="1.5" width="9" height="9" />,
  diamond: <path d="M6 0.4 11.6 6 6 11.6 0.4 6z" />,
  dash: <rect x="0.5" y="4.5" width="11" height="3" />,
};
