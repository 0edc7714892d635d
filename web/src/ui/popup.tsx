import { Popover } from 'radix-ui';
import type { ReactNode } from 'react';
import { classNames } from './class-names.js';

interface PopupProps {
  /** What it contains; read out when it opens. */
  name: string;
  button: ReactNode;
  className: string;
  children: ReactNode;
}

/** A box that opens below its button. */
export function Popup({ name, button, className, children }: PopupProps) {
  return (
    <Popover.Root>
      <Popover.Trigger asChild>{button}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={name}
          align="end"
          sideOffset={6}
          collisionPadding={12}
          className={classNames(
            'z-[60] max-w-[calc(100vw-1.5rem)] max-h-[var(--radix-popover-content-available-height)] overflow-y-auto border border-rule-strong bg-raised',
            className,
          )}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
