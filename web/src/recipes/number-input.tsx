import { type ComponentProps, useEffect, useState } from 'react';
import { Input } from '../ui/field.js';

/** A number input. Invalid input is passed on as text, so that validation can report it. */
export function NumberInput({
  value,
  onValueChange,
  ...rest
}: Omit<ComponentProps<typeof Input>, 'value' | 'onChange'> & {
  value: unknown;
  onValueChange: (value: number | string | undefined) => void;
}) {
  const [text, setText] = useState(value === undefined ? '' : String(value));
  useEffect(() => {
    setText((typed) => (read(typed) === value ? typed : value === undefined ? '' : String(value)));
  }, [value]);
  return (
    <Input
      inputMode="decimal"
      {...rest}
      className="text-right"
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        onValueChange(read(event.target.value));
      }}
    />
  );
}

function read(text: string): number | string | undefined {
  const trimmed = text.trim().replace(',', '.');
  if (trimmed === '') return undefined;
  const number = Number(trimmed);
  return Number.isNaN(number) ? text : number;
}
