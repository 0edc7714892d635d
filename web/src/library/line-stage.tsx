import { type ReactNode, useRef } from 'react';
import { classNames } from '../ui/class-names.js';
import { useOverflow } from '../ui/use-overflow.js';

interface StageProps {
  name: string;
  width: string;
  isLast?: boolean;
  children: ReactNode;
}

/** One stage on the line that connects all of them. */
export function Stage({ name, width, isLast = false, children }: StageProps) {
  const scroller = useRef<HTMLDivElement>(null);
  // One that shows everything would only be a stop on the way of the Tab key.
  const isRegion = useOverflow(scroller);
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
      <div
        ref={scroller}
        {...(isRegion && { role: 'group', 'aria-label': name, tabIndex: 0 })}
        className="mt-1 min-h-0 overflow-y-auto pr-5 pl-[18px] text-sm"
      >
        <div className="flex flex-col gap-0.5">{children}</div>
      </div>
    </li>
  );
}

/** Secondary information. */
export function Quiet({ children }: { children: ReactNode }) {
  return <p className="text-soft">{children}</p>;
}
