import type { ReactNode } from 'react';
import { classNames } from '../ui/class-names.js';

interface ChainCardProps {
  eyebrow: string;
  isOpen: boolean;
  isFaulty?: boolean;
  onOpen: () => void;
  handle?: ReactNode;
  children: ReactNode;
}

/** One card of the chain; a click opens its settings below. */
export function ChainCard({ eyebrow, isOpen, isFaulty = false, onOpen, handle, children }: ChainCardProps) {
  return (
    <div
      className={classNames(
        'relative w-40 shrink-0 border bg-raised',
        isOpen ? 'border-oxide' : 'border-rule-strong',
        isFaulty && 'border-fault',
      )}
    >
      {isOpen && <span aria-hidden="true" className="absolute inset-x-0 -bottom-px h-0.5 bg-oxide" />}
      <button
        type="button"
        aria-pressed={isOpen}
        onClick={onOpen}
        className="flex h-[4.25rem] w-full flex-col items-start px-2.5 py-1.5 text-left"
      >
        <span className={classNames('text-xs font-medium', isFaulty ? 'text-fault' : 'text-ink')}>
          {eyebrow}
        </span>
        <span className="line-clamp-2 pr-2 text-xs break-words text-soft">{children}</span>
      </button>
      {handle}
    </div>
  );
}
