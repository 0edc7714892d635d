import type { ReactNode } from 'react';
import { usePageTitle } from './use-page-title.js';

interface PageProps {
  title: string;
  note?: ReactNode;
  actions?: ReactNode;
  children: ReactNode;
}

/** The frame of a station: its heading with the actions, and the work below. */
export function Page({ title, note, actions, children }: PageProps) {
  usePageTitle(title);
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex min-h-14 flex-wrap items-center justify-between gap-x-6 gap-y-2 px-6 py-3">
        <div className="flex min-w-0 flex-wrap items-baseline gap-x-4">
          <h1 className="text-xl font-semibold">{title}</h1>
          {note && <p className="text-soft">{note}</p>}
        </div>
        <div className="flex flex-wrap items-center gap-2">{actions}</div>
      </div>
      {children}
    </div>
  );
}
