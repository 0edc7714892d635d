import { type ComponentProps, type ReactElement, useId } from 'react';
import { classNames } from './class-names.js';

const BOX =
  'w-full rounded-[3px] border border-rule-strong bg-raised px-2.5 py-1.5 text-sm text-ink placeholder:text-soft';

/** Connects an input to its label and note. */
export interface FieldControlProps {
  id: string;
  'aria-describedby'?: string;
  'aria-invalid'?: boolean;
}

interface FieldProps {
  label: string;
  hint?: string | undefined;
  error?: string | undefined;
  className?: string;
  children: (props: FieldControlProps) => ReactElement;
}

/** A labelled input with its hint or error. */
export function Field({ label, hint, error, className, children }: FieldProps) {
  const id = useId();
  const note = error ?? hint;
  return (
    <div className={classNames('flex flex-col gap-1', className)}>
      <label htmlFor={id} className="text-sm font-medium">
        {label}
      </label>
      {children({
        id,
        ...(note && { 'aria-describedby': `${id}-note` }),
        ...(error && { 'aria-invalid': true }),
      })}
      {note && (
        <p id={`${id}-note`} className={classNames('text-xs', error ? 'text-fault' : 'text-soft')}>
          {note}
        </p>
      )}
    </div>
  );
}

export function Input({ className, ...rest }: ComponentProps<'input'>) {
  return <input className={classNames(BOX, 'h-8', className)} {...rest} />;
}

export function TextArea({ className, ...rest }: ComponentProps<'textarea'>) {
  return <textarea className={classNames(BOX, className)} {...rest} />;
}

/** The native select, which supports keyboard and screen readers. */
export function Select({ className, ...rest }: ComponentProps<'select'>) {
  return <select className={classNames(BOX, 'h-8 py-0 pr-7', className)} {...rest} />;
}

export function Checkbox({ label, className, ...rest }: ComponentProps<'input'> & { label: string }) {
  return (
    <label className={classNames('inline-flex items-center gap-2 text-sm whitespace-nowrap', className)}>
      <input type="checkbox" className="size-4 accent-oxide" {...rest} />
      {label}
    </label>
  );
}
