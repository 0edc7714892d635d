import { type RefObject, useEffect, useRef } from 'react';
import { useLocation } from 'react-router';

/**
 * Moves the focus to the content after each change of page, so that it is read and the keyboard goes on there. Not
 * while a dialog is open: that has the focus, and gives it back.
 */
export function useRouteFocus(content: RefObject<HTMLElement | null>): void {
  const { pathname } = useLocation();
  const before = useRef(pathname);
  useEffect(() => {
    if (before.current === pathname) return;
    before.current = pathname;
    if (!document.querySelector('[role="dialog"], [role="alertdialog"]')) content.current?.focus();
  }, [pathname, content]);
}
