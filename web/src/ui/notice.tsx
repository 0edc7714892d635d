import { isUniferumApiError } from '@uniferum/client';
import type { ReactNode } from 'react';
import { Button } from './button.js';

interface ErrorNoticeProps {
  error: unknown;
  /** Reads or does it again. */
  onRetry?: () => void;
}

/** Says what went wrong, to which thing, why, and what to do. */
export function ErrorNotice({ error, onRetry }: ErrorNoticeProps) {
  const title = isUniferumApiError(error) ? error.problem.title : 'Something went wrong';
  return (
    <div role="alert" className="border-l-2 border-fault bg-fault/10 px-3 py-2 text-sm">
      <p className="font-medium text-fault">{title}</p>
      <p>{messageOf(error)}</p>
      {onRetry && (
        <Button className="mt-2 h-7" onClick={onRetry}>
          Try again
        </Button>
      )}
    </div>
  );
}

/** A failure in one line, beside the button that was pressed. */
export function FailureLine({ error }: { error: unknown }) {
  if (!error) return null;
  return (
    <span role="alert" className="text-sm text-fault">
      {messageOf(error)}
    </span>
  );
}

function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
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
