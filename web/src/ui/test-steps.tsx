import type { TestStep } from '@uniferum/core/shared';
import { Check, X } from 'lucide-react';

const WORDS: Record<string, string> = {
  configured: 'Configured',
  found: 'Found',
  allowed: 'Allowed',
  readable: 'Readable',
  resolved: 'Host name',
  reached: 'Reached',
  clock: 'Clock',
  'signed in': 'Signed in',
  lists: 'Listing',
  writes: 'Writing',
  reads: 'Reading',
  access: 'Public access',
  deletes: 'Deleting',
};

/** The steps of a test, up to the first that failed. */
export function TestSteps({ steps }: { steps: readonly TestStep[] }) {
  return (
    <ol role="status" aria-label="Result of the test" className="mt-1 flex flex-col gap-0.5 text-sm">
      {steps.map(({ name, ok, message }) => (
        <li key={name} className="flex items-start gap-2">
          {ok ? (
            <Check className="mt-0.5 size-4 shrink-0 text-verdigris" aria-label="passed" />
          ) : (
            <X className="mt-0.5 size-4 shrink-0 text-fault" aria-label="failed" />
          )}
          <span className="min-w-0 break-words">
            <span className="font-medium">{WORDS[name] ?? name}:</span> {message}
          </span>
        </li>
      ))}
    </ol>
  );
}
