import { isUniferumApiError } from '@uniferum/client';
import type { ReactNode } from 'react';

/** Says what went wrong, to which thing, why, and what to do. */
export function ErrorNotice({ error }: { error: unknown }) {
  const title = isUniferumApiError(error) ? error.problem.title : 'It did not work';
  const detail = error instanceof Error ? error.message : String(error);
  return (
    <div role="alert" className="border-l-2 border-fault bg-fault/10 px-3 py-2 text-sm">
      <p className="font-medium text-fault">{title}</p>
      <p>{detail}</p>
    </div>
  );
}

interface EmptyPlaceProps {
  title: string;
  children: ReactNode;
  action?: ReactNode;
}

/** An empty state with the one action that fills it. */
export function EmptyPlace({ title, children, action }: EmptyPlaceProps) {
  return (
    <div className="flex flex-col items-start gap-3 border-l-2 border-rule-strong py-2 pl-5">
      <p className="text-lg font-semibold">{title}</p>
      <p className="max-w-prose text-soft">{children}</p>
      {action}
    </div>
  );
}
