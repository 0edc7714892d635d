import type { AssetSelection, CopyChange } from '@uniferum/client';
import type { CopyPlanAnswer } from '@uniferum/core/copies';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { FieldRow } from '../ui/text-field.js';
import { useChangeCopies, useCopiesRehearsal, useStores } from './hooks.js';

type Action = CopyChange['action'];

const ACTIONS: Record<Action, string> = {
  add: 'Copy to a store',
  drop: 'Drop the copies in a store',
  fetch: 'Bring back to the home store',
};

interface CopiesFormProps {
  select: AssetSelection;
  onDone: () => void;
}

/** Rehearses adding, dropping or fetching copies, then starts it. */
export function CopiesForm({ select, onDone }: CopiesFormProps) {
  const { data: stores } = useStores();
  const [action, setAction] = useState<Action>('add');
  const [named, setNamed] = useState<string | null>(null);
  const home = stores?.find(({ isHome }) => isHome)?.name ?? '';
  const offered = (stores ?? []).filter(({ isHome }) => action === 'drop' || !isHome);
  const chosen = offered.find(({ name }) => name === named) ?? offered[0];
  const change: CopyChange = { select, action, store: action === 'fetch' ? home : (chosen?.name ?? '') };
  const rehearsal = useCopiesRehearsal(change);
  const start = useChangeCopies();
  const navigate = useNavigate();
  const apply = async () => {
    const { run } = await start.mutateAsync(change);
    onDone();
    void navigate(`/runs?run=${run.id}`);
  };
  const plan = change.store === '' ? undefined : rehearsal.data;
  return (
    <div className="flex flex-col gap-4">
      <FieldRow>
        <Field label="What to do" className="min-w-56 flex-1">
          {(props) => (
            <Select {...props} value={action} onChange={(event) => setAction(event.target.value as Action)}>
              {Object.entries(ACTIONS).map(([name, words]) => (
                <option key={name} value={name}>
                  {words}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Field
          label="Store"
          className="min-w-48 flex-1"
          hint={stores && offered.length === 0 ? 'Add a store under Connections first.' : undefined}
        >
          {(props) => (
            <Select
              {...props}
              disabled={action === 'fetch'}
              value={change.store}
              onChange={(event) => setNamed(event.target.value)}
            >
              {action === 'fetch' && <option value={home}>{home}</option>}
              {offered.map(({ id, name }) => (
                <option key={id} value={name}>
                  {name}
                </option>
              ))}
            </Select>
          )}
        </Field>
      </FieldRow>
      {rehearsal.error && <ErrorNotice error={rehearsal.error} />}
      <PlanList plan={plan} />
      <FormFoot error={start.error} code={codeOf(change)}>
        <Button
          look={action === 'drop' ? 'fault' : 'main'}
          disabled={!plan || plan.totals.files === 0 || start.isPending}
          onClick={() => void apply().catch(() => {})}
        >
          {buttonWords(action, plan)}
        </Button>
      </FormFoot>
    </div>
  );
}

function buttonWords(action: Action, plan: CopyPlanAnswer | undefined): string {
  if (!plan) return 'Rehearsing …';
  const files = formatCount(plan.totals.files, 'file');
  return { add: `Copy ${files}`, drop: `Drop ${files}`, fetch: `Bring back ${files}` }[action];
}

function PlanList({ plan }: { plan: CopyPlanAnswer | undefined }) {
  return (
    <>
      <ScrollRegion label="What would be done" className="h-40 border-y border-rule">
        {plan?.items.length === 0 && <p className="py-3 text-soft">Nothing to do: it is so already.</p>}
        <ul>
          {plan?.items.map(({ asset, name, files, bytes, note }) => (
            <li
              key={asset}
              className="grid grid-cols-[minmax(0,1fr)_5rem_5rem] gap-4 border-b border-rule py-1 text-sm"
            >
              <span className="min-w-0">
                <span className="block truncate" dir="auto">
                  {name}
                </span>
                {note && <span className="block truncate text-xs text-ochre">{note}</span>}
              </span>
              <span className="figure text-right">{formatCount(files, 'file')}</span>
              <span className="figure text-right">{formatBytes(bytes)}</span>
            </li>
          ))}
        </ul>
      </ScrollRegion>
      <p className="h-5 text-sm text-soft">
        {plan &&
          plan.totals.files > 0 &&
          `${formatCount(plan.totals.files, 'file')} of ${formatCount(plan.totals.assets, 'asset')}, ${formatBytes(plan.totals.bytes)}`}
        {plan && plan.totals.refused > 0 && `; ${formatNumber(plan.totals.refused)} left out`}
      </p>
    </>
  );
}

function codeOf(change: CopyChange) {
  const { select, store, action } = change;
  const json = JSON.stringify(change, null, 2);
  return {
    ...{ method: 'POST' as const, path: '/copies', body: change },
    client: `const { run } = await uniferum.copies.change(${json});\nawait uniferum.runs.wait(run.id);`,
    ...(!('ids' in select) && {
      command: commandLine(
        'copies',
        select.q ?? '',
        ...(action === 'fetch' ? ['--fetch'] : [`--${action}`, store]),
        ...option('--in', select.folder),
        '--wait',
      ),
    }),
  };
}
