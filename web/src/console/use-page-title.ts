import { useEffect } from 'react';

/** Names the page in the title of the browser's tab, where screen readers and the history find it. */
export function usePageTitle(title: string): void {
  useEffect(() => {
    document.title = `${title} – Uniferum`;
  }, [title]);
}
