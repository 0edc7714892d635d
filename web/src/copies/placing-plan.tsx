import type { GivenPlacement } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { Field, Input } from '../ui/field.js';
import { formatSeconds } from '../ui/format.js';
import { FailureLine } from '../ui/notice.js';
import { FieldRow } from '../ui/text-field.js';
import { useDebounced } from '../ui/use-debounced.js';
import { usePlaceRehearsal } from './hooks.js';

interface PlacingPlanProps {
  folder: string;
  placement: GivenPlacement | null;
}

/** What setting a placement would store, how long that takes, and what it costs. */
export function PlacingPlan({ folder, placement }: PlacingPlanProps) {
  const [month, setMonth] = useState('');
  const [requests, setRequests] = useState('');
  const { data: plan, error } = usePlaceRehearsal(
    folder,
    useDebounced(placement, 250),
    useDebounced({ ...price('gigabyteMonth', month), ...price('thousandRequests', requests) }, 250),
  );
  return (
    <section aria-label="What would be stored" className="flex flex-col gap-2 border-t border-rule pt-3">
      <FailureLine error={error} />
      <p className="min-h-5 text-sm">
        {plan?.files === 0 && <span className="text-soft">Nothing has to be stored.</span>}
        {plan && plan.files > 0 && (
          <>
            {formatCount(plan.files, 'file')}, {formatBytes(plan.bytes)}
            <span className="text-soft">
              {plan.seconds === null
                ? '; how long it takes is not known before files were sent'
                : `; about ${formatSeconds(Math.max(1, plan.seconds))}, as fast as lately`}
              {plan.cost && `; ${money(plan.cost.once)} once, ${money(plan.cost.perMonth)} a month`}
            </span>
          </>
        )}
      </p>
      <details className="text-sm">
        <summary className="cursor-pointer text-oxide">Estimate the cost</summary>
        <FieldRow>
          <PriceField label="Price of a gigabyte a month" value={month} onChange={setMonth} />
          <PriceField label="Price of a thousand stored files" value={requests} onChange={setRequests} />
        </FieldRow>
      </details>
    </section>
  );
}

interface PriceFieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
}

function PriceField({ label, value, onChange }: PriceFieldProps) {
  return (
    <Field
      label={label}
      className="mt-2 min-w-48 flex-1"
      error={value === '' || isPrice(value) ? undefined : 'Enter a number, such as 0.02.'}
    >
      {(props) => (
        <Input
          {...props}
          inputMode="decimal"
          placeholder="0.02"
          value={value}
          onChange={(event) => onChange(event.target.value)}
        />
      )}
    </Field>
  );
}

function isPrice(text: string): boolean {
  return /^\d{1,6}(\.\d{1,6})?$/.test(text);
}

function price<Name extends string>(name: Name, text: string): { [key in Name]?: number } {
  return isPrice(text) ? ({ [name]: Number(text) } as { [key in Name]: number }) : {};
}

/** The currency is the user's own. */
function money(amount: number): string {
  return amount.toLocaleString('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 });
}
