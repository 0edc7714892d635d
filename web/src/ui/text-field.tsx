import type { ReactNode } from 'react';
import type { FieldValues, Path, UseFormReturn } from 'react-hook-form';
import { Field, Input } from './field.js';

interface TextFieldProps<Values extends FieldValues> {
  form: UseFormReturn<Values>;
  name: Path<Values>;
  label: string;
  hint?: string;
  placeholder?: string;
  /** What is said when it is left empty. */
  needed?: string;
  type?: string;
  className?: string;
  isCode?: boolean;
  autoFocus?: boolean;
}

/** A text of a form, with its label, hint and error. */
export function TextField<Values extends FieldValues>({
  form,
  name,
  label,
  hint,
  needed,
  className = '',
  isCode = false,
  ...rest
}: TextFieldProps<Values>) {
  return (
    <Field
      label={label}
      hint={hint}
      error={form.getFieldState(name, form.formState).error?.message}
      className={className}
    >
      {(props) => (
        <Input
          autoComplete="off"
          className={isCode ? 'font-mono' : undefined}
          {...props}
          {...rest}
          {...form.register(name, { required: needed ?? false })}
        />
      )}
    </Field>
  );
}

/** Fields beside each other. */
export function FieldRow({ children }: { children: ReactNode }) {
  return <div className="flex flex-wrap gap-3">{children}</div>;
}
