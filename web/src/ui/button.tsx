import type { ComponentProps } from 'react';
import { classNames } from './class-names.js';

const LOOKS = {
  /** The primary action. */
  main: 'bg-oxide text-oxide-ink border-oxide hover:brightness-110',
  plain: 'bg-raised text-ink border-rule-strong hover:border-ink',
  quiet: 'border-transparent text-ink hover:bg-rule/50',
  fault: 'bg-raised text-fault border-fault hover:bg-fault/10',
} as const;

export interface ButtonProps extends ComponentProps<'button'> {
  look?: keyof typeof LOOKS;
}

/** A button with text. */
export function Button({ look = 'plain', className, type = 'button', ...rest }: ButtonProps) {
  return (
    <button
      type={type}
      className={classNames(
        'inline-flex h-8 items-center justify-center gap-2 rounded-[3px] border px-3 text-sm font-medium whitespace-nowrap disabled:cursor-default disabled:opacity-50',
        LOOKS[look],
        className,
      )}
      {...rest}
    />
  );
}

/** A button with an icon only; its name is read out, and shown on hover. */
export function IconButton({
  name,
  className,
  type = 'button',
  ...rest
}: ComponentProps<'button'> & { name: string }) {
  return (
    <button
      type={type}
      aria-label={name}
      title={name}
      className={classNames(
        'inline-flex size-8 shrink-0 items-center justify-center rounded-[3px] text-soft hover:bg-rule/50 hover:text-ink disabled:opacity-40',
        className,
      )}
      {...rest}
    />
  );
}
