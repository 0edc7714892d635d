import { X } from 'lucide-react';
import { Dialog as Radix } from 'radix-ui';
import { type ReactNode, useId, useRef } from 'react';
import { ask } from './ask.js';
import { IconButton } from './button.js';
import { classNames } from './class-names.js';
import { DialogContext, unsavedIn, useUnsavedChanges } from './unsaved.js';

export interface DialogProps {
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
  title: string;
  /** What happens here, in a sentence. */
  description: string;
  /** What closing would lose, in a sentence; null when nothing. Forms inside can register their changes themselves. */
  unsaved?: string | null;
  children: ReactNode;
  className?: string;
}

/** A sheet that slides down from the navigation, over the page. Closing it asks first when a form in it has changes. */
export function Dialog({
  isOpen,
  onOpenChange,
  title,
  description,
  unsaved = null,
  children,
  className,
}: DialogProps) {
  const id = useId();
  const returnFocus = useReturnedFocus(isOpen);
  useUnsavedChanges(isOpen ? unsaved : null, id);
  const change = async (next: boolean) => {
    const text = next ? null : unsavedIn(id);
    const isWanted = text === null || (await ask({ title: `Close ${title}?`, text, ...DISCARD }));
    if (isWanted) onOpenChange(next);
  };
  return (
    <Radix.Root open={isOpen} onOpenChange={(next) => void change(next)}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-ground/75" />
        <Radix.Content
          onCloseAutoFocus={returnFocus}
          className={classNames(
            'fixed top-11 left-1/2 z-50 flex max-h-[calc(100vh-6rem)] w-[40rem] max-w-[calc(100vw-2rem)] -translate-x-1/2 flex-col border border-t-2 border-rule-strong border-t-oxide bg-raised',
            className,
          )}
        >
          <div className="flex items-start justify-between gap-4 border-b border-rule px-5 pt-4 pb-3">
            <div>
              <Radix.Title className="text-lg font-semibold">{title}</Radix.Title>
              <Radix.Description className="text-sm text-soft">{description}</Radix.Description>
            </div>
            <Radix.Close asChild>
              <IconButton name="Close">
                <X className="size-4" />
              </IconButton>
            </Radix.Close>
          </div>
          <div className="overflow-y-auto px-5 py-4">
            <DialogContext value={id}>{children}</DialogContext>
          </div>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}

const DISCARD = { yes: 'Discard changes', no: 'Keep editing' };

/**
 * Remembers what had the focus when a dialog opened, and returns the focus to it. It is read while rendering, because a
 * field with `autoFocus` takes the focus before any effect.
 */
export function useReturnedFocus(isOpen: boolean): (event: Event) => void {
  const opener = useRef<Element | null>(null);
  const wasOpen = useRef(false);
  if (isOpen && !wasOpen.current) opener.current = document.activeElement;
  wasOpen.current = isOpen;
  return (event) => {
    event.preventDefault();
    focusAgain(opener.current);
  };
}

/** Returns the focus to what opened a dialog, or to the content of the page when that is gone. */
function focusAgain(opener: Element | null): void {
  const isThere = opener instanceof HTMLElement && opener.isConnected && opener !== document.body;
  const target = isThere ? opener : document.querySelector('main');
  if (target instanceof HTMLElement) target.focus();
}
