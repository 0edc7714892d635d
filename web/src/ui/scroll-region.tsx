import type { ReactNode } from 'react';
import { classNames } from './class-names.js';

interface ScrollRegionProps {
  /** What is listed in it; read out when it gets the focus. */
  label: string;
  className?: string;
  children?: ReactNode;
}

/** A part of the page that scrolls by itself, by keyboard too. */
export function ScrollRegion({ label, className, children }: ScrollRegionProps) {
  return (
    <div role="region" aria-label={label} tabIndex={0} className={classNames('overflow-y-auto', className)}>
      {children}
    </div>
  );
}
