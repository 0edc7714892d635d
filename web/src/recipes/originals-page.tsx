import type { OptimiseRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { OptimisePlan } from '@uniferum/core/recipes';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Field, Input, Select } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { useDebounced } from '../ui/use-debounced.js';
import { useOptimised, useOptimiseRehearsal, useRecipeChanges } from './hooks.js';
import { RecipesViews } from './recipes-views.js';

type OptimiseMode = 'lossless' | '0.995' | '0.98';

interface OptimiseForm {
  q: string;
  mode: OptimiseMode;
}

/** Optimising originals: lossless unless asked otherwise, and reversible. */
export function OriginalsPage() {
  const [form, setForm] = useState<OptimiseForm>({ q: 'kind:image', mode: 'lossless' });
  const request = requestOf(form);
  const { data: plan, error } = useOptimiseRehearsal(useDebounced(request, 300));
  const { optimise } = useRecipeChanges();
  const mayWrite = useRight('library:write');
  const navigate = useNavigate();
  const apply = async () => {
    const { run } = await optimise.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  return (
    <Page
      title="Recipes"
      note={<Saved />}
      actions={
        <>
          <AsCode code={optimiseCode(form)} />
          {mayWrite && (
            <Button
              look="main"
              disabled={!plan || plan.totals.possible === 0 || optimise.isPending}
              onClick={() => void apply().catch(() => {})}
            >
              {plan ? `Optimise ${formatCount(plan.totals.possible, 'original')}` : 'Rehearsing …'}
            </Button>
          )}
        </>
      }
    >
      <RecipesViews />
      <FormFields form={form} onChange={setForm} />
      {(error ?? optimise.error) && <ErrorNotice error={error ?? optimise.error} />}
      <ScrollRegion label="Files to optimise" className="min-h-0 flex-1">
        {plan && <PlanList plan={plan} />}
      </ScrollRegion>
    </Page>
  );
}

function requestOf({ q, mode }: OptimiseForm): OptimiseRequest {
  return {
    select: { q, folder: '/', deep: true },
    ...(mode !== 'lossless' && { mode: 'likeness', likeness: Number(mode) }),
  };
}

function optimiseCode(form: OptimiseForm) {
  const request = requestOf(form);
  const words = JSON.stringify(request);
  const likeness = form.mode === 'lossless' ? [] : ['--likeness', form.mode];
  return {
    method: 'POST' as const,
    path: '/assets/optimise?rehearse=true',
    body: request,
    client: `const { plan } = await uniferum.renditions.rehearseOptimise(${words});\nconst { run } = await uniferum.renditions.optimise(${words});`,
    command: commandLine('optimise', form.q, ...likeness, '--rehearse'),
  };
}

function Saved() {
  const { data: saved } = useOptimised();
  if (!saved) return null;
  if (saved.files === 0) return 'No originals optimised yet.';
  return `${formatCount(saved.files, 'original')} optimised, saving ${formatBytes(saved.before - saved.after)} of ${formatBytes(saved.before)}.`;
}

interface FormFieldsProps {
  form: OptimiseForm;
  onChange: (form: OptimiseForm) => void;
}

function FormFields({ form: { q, mode }, onChange }: FormFieldsProps) {
  return (
    <div className="flex items-start gap-6 border-b border-rule px-6 py-3">
      <Field label="Filter" className="w-80">
        {(props) => (
          <Input
            {...props}
            className="font-mono"
            value={q}
            onChange={(event) => onChange({ q: event.target.value, mode })}
          />
        )}
      </Field>
      <Field label="Mode" className="w-80">
        {(props) => (
          <Select
            {...props}
            value={mode}
            onChange={(event) => onChange({ q, mode: event.target.value as OptimiseMode })}
          >
            <option value="lossless">lossless, no pixel changes</option>
            <option value="0.995">no visible difference, likeness 0.995</option>
            <option value="0.98">visible side by side, likeness 0.98</option>
          </Select>
        )}
      </Field>
      <p className="max-w-prose pt-6 text-sm text-soft">
        Each file becomes a new version at the same address; the previous version can be restored. A file that
        is replaced later is optimised again.
      </p>
    </div>
  );
}

function PlanList({ plan }: { plan: OptimisePlan }) {
  return (
    <>
      <ul>
        {plan.items.map(({ asset, name, mime, bytes }) => (
          <li
            key={asset}
            className="grid grid-cols-[minmax(0,1fr)_8rem_8rem] gap-4 border-b border-rule px-6 py-1 text-sm"
          >
            <span className="truncate">{name}</span>
            <span className="text-soft">{mime}</span>
            <span className="figure text-right">{formatBytes(bytes)}</span>
          </li>
        ))}
      </ul>
      <p className="px-6 py-2 text-sm text-soft">
        {formatNumber(plan.items.length)} of {formatNumber(plan.totals.possible)} listed,{' '}
        {formatBytes(plan.totals.bytes)}; {formatNumber(plan.totals.selected - plan.totals.possible)} of{' '}
        {formatNumber(plan.totals.selected)} results have types that cannot be optimised.
      </p>
    </>
  );
}
