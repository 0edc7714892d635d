import type { ReactNode } from 'react';
import { type ActionCode, AsCode } from './as-code.js';
import { ErrorNotice } from './notice.js';

interface FormFootProps {
  error?: unknown;
  code: ActionCode;
  children: ReactNode;
}

/** The end of a form: its error, its buttons, and the action as code. */
export function FormFoot({ error, code, children }: FormFootProps) {
  return (
    <div className="flex flex-col gap-4">
      {error ? <ErrorNotice error={error} /> : null}
      <div className="flex items-center gap-2">
        {children}
        <span className="ml-auto" />
        <AsCode code={code} />
      </div>
    </div>
  );
}
