import type { Flow } from '@uniferum/core/flow';
import { useState } from 'react';
import { Link } from 'react-router';
import { useRight } from '../access/hooks.js';
import { useKeys } from '../automate/hooks.js';
import { Button } from '../ui/button.js';
import { StateMark } from '../ui/state-mark.js';

const DISMISSED = 'uniferum-first-steps-dismissed';

interface Step {
  title: string;
  text: string;
  to: string;
  isDone: boolean;
}

/** Leads through a new installation: folder, upload, recipe, script. Gone once all are done, or when it is dismissed. */
export function FirstSteps({ flow }: { flow: Flow }) {
  const [isDismissed, setDismissed] = useState(() => localStorage.getItem(DISMISSED) !== null);
  const mayMakeKeys = useRight('keys:write');
  const { data: keys } = useKeys(mayMakeKeys && !isDismissed);
  const steps = stepsOf(flow, mayMakeKeys ? (keys?.length ?? 0) > 0 : null);
  if (isDismissed || steps.every(({ isDone }) => isDone)) return null;
  const next = steps.find(({ isDone }) => !isDone);
  const dismiss = () => {
    localStorage.setItem(DISMISSED, 'yes');
    setDismissed(true);
  };
  return (
    <section aria-label="First steps" className="border-t border-rule bg-surface px-6 py-4">
      <div className="flex items-baseline gap-4 pb-2">
        <h2 className="font-semibold">First steps</h2>
        <Button look="quiet" className="ml-auto h-7" onClick={dismiss}>
          Don't show this again
        </Button>
      </div>
      <ol className="grid grid-cols-1 gap-x-8 md:grid-cols-2 xl:grid-cols-4">
        {steps.map((step) => (
          <StepItem key={step.to} step={step} isNext={step === next} />
        ))}
      </ol>
    </section>
  );
}

function StepItem({ step: { title, text, to, isDone }, isNext }: { step: Step; isNext: boolean }) {
  return (
    <li className={isNext ? 'border-t-2 border-oxide py-2' : 'border-t-2 border-rule py-2'}>
      <p className="flex items-baseline gap-2">
        {isDone ? (
          <span className="font-medium">{title}</span>
        ) : (
          <Link to={to} className="font-medium text-oxide hover:underline">
            {title}
          </Link>
        )}
        {isDone && <StateMark state="done" />}
      </p>
      <p className="text-sm text-soft">{text}</p>
    </li>
  );
}

/** @param hasKey null without the right to create keys: then that step is left out */
function stepsOf({ folders, library, recipes }: Flow, hasKey: boolean | null): Step[] {
  const steps: Step[] = [
    {
      title: 'Create a folder',
      text: 'Folders give files their addresses and rules.',
      to: '/library',
      isDone: folders > 1,
    },
    {
      title: 'Import files',
      text: 'Upload some, or import from the inbox, a URL or a manifest.',
      to: '/intake',
      isDone: library.items > 0,
    },
    {
      title: 'Create a recipe',
      text: 'A recipe defines a size, crop and format for the site.',
      to: '/recipes/new',
      isDone: recipes.length > 0,
    },
  ];
  if (hasKey !== null)
    steps.push({
      title: 'Write a script',
      text: 'Create a key, and run the example with it.',
      to: '/automate',
      isDone: hasKey,
    });
  return steps;
}
