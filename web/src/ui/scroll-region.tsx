import type { ReactNode } from 'react';
import { classNames } from './class-names.js';

interface ScrollRegionProps {
  /** Describes the content; read out on focus. */
  label: string;
  className?: string;
  children?: ReactNode;
}

/** A scrollable part of the page that can also be scrolled by keyboard. */
export function ScrollRegion({ label, className, children }: ScrollRegionProps) {
  return (
    <div role="region" aria-label={label} tabIndex={0} className={classNames('overflow-y-auto', className)}>
      {children}
    </div>
  );
}
