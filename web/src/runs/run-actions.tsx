import type { Run } from '@uniferum/core/runs';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { FailureLine } from '../ui/notice.js';
import { type Steering, useSteerRun } from './hooks.js';

const WORDS: Record<Steering, string> = {
  stop: 'Stop',
  resume: 'Resume',
  retry: 'Retry failed items',
  undo: 'Undo',
};

/** The actions available in a run's state. */
export function steeringOf(run: Run): Steering[] {
  if (run.state === 'waiting' || run.state === 'working') return ['stop'];
  if (run.state === 'stopped' || run.state === 'stopping') return ['resume'];
  return [...(run.failed > 0 ? (['retry'] as const) : []), ...(run.canUndo ? (['undo'] as const) : [])];
}

/** The buttons that stop, resume and retry a run. */
export function RunActions({ run, className }: { run: Run; className?: string }) {
  const mayControl = useRight('runs:write');
  const steer = useSteerRun();
  if (!mayControl) return null;
  return (
    <>
      <FailureLine error={steer.error} />
      {steeringOf(run).map((verb) => (
        <Button
          key={verb}
          className={className ?? ''}
          aria-label={`${WORDS[verb]}: ${run.title}`}
          disabled={steer.isPending}
          onClick={() => steer.mutate({ id: run.id, verb })}
        >
          {WORDS[verb]}
        </Button>
      ))}
    </>
  );
}
