import { useEffect } from 'react';
import { useBlocker } from 'react-router';
import { useUploads } from '../intake/uploads.js';
import { ask } from '../ui/ask.js';
import { unsavedAnywhere, unsavedOnPage, useHasUnsaved } from '../ui/unsaved.js';

/** Asks before unsaved changes are lost by leaving the page, and before closing the tab interrupts uploads. */
export function LeaveGuard() {
  const hasUnsaved = useHasUnsaved();
  const isSending = useUploads(({ progress }) => progress.isSending);
  const blocker = useBlocker(({ currentLocation, nextLocation, historyAction }) => {
    if (currentLocation.pathname === nextLocation.pathname) return false;
    // Dialogs are modal: under one, only the browser's own buttons leave the page against the user's will. What a
    // dialog itself opens follows from its success.
    return (historyAction === 'POP' ? unsavedAnywhere() : unsavedOnPage()) !== null;
  });
  useEffect(() => {
    if (blocker.state !== 'blocked') return;
    const text = unsavedAnywhere() ?? '';
    void ask({ title: 'Leave this page?', text, yes: 'Discard changes', no: 'Stay' }).then((isYes) =>
      isYes ? blocker.proceed() : blocker.reset(),
    );
  }, [blocker]);
  useEffect(() => {
    if (!hasUnsaved && !isSending) return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', warn);
    return () => window.removeEventListener('beforeunload', warn);
  }, [hasUnsaved, isSending]);
  return null;
}
