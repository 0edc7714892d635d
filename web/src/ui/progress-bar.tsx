import { Progress } from 'radix-ui';
import { classNames } from './class-names.js';

interface ProgressBarProps {
  value: number;
  max: number;
  label: string;
  className?: string;
}

/** Progress; `value` and `max` in the same unit. */
export function ProgressBar({ value, max, label, className }: ProgressBarProps) {
  const part = max > 0 ? Math.min(1, value / max) : 0;
  return (
    <Progress.Root
      value={Math.min(value, max)}
      max={Math.max(max, 1)}
      aria-label={label}
      className={classNames('h-1.5 overflow-hidden rounded-full bg-rule', className)}
    >
      <Progress.Indicator
        className="h-full bg-oxide transition-[width] duration-200"
        style={{ width: `${part * 100}%` }}
      />
    </Progress.Root>
  );
}
