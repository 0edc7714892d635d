import type { ReactNode } from 'react';
import { classNames } from '../ui/class-names.js';

interface StageProps {
  name: string;
  width: string;
  isLast?: boolean;
  children: ReactNode;
}

/** One stage on the line that connects all of them. */
export function Stage({ name, width, isLast = false, children }: StageProps) {
  return (
    <li className={classNames('relative flex shrink-0 flex-col', width, !isLast && 'grow')}>
      <span
        aria-hidden="true"
        className={classNames('absolute top-2 left-0 h-px bg-rule-strong', isLast ? 'w-3' : 'w-full')}
      />
      <span
        aria-hidden="true"
        className="absolute top-[5px] left-0 size-[7px] rounded-full border-2 border-oxide bg-surface"
      />
      <h3 className="eyebrow relative ml-3 self-start bg-surface px-1.5">{name}</h3>
      <div className="mt-1 flex min-h-0 flex-col gap-0.5 overflow-y-auto pr-5 pl-[18px] text-sm">
        {children}
      </div>
    </li>
  );
}

/** Secondary information. */
export function Quiet({ children }: { children: ReactNode }) {
  return <p className="text-soft">{children}</p>;
}
