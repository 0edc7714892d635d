import type { OptimiseRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
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
import { useDebounced } from '../ui/use-debounced.js';
import { useOptimised, useOptimiseRehearsal, useRecipeChanges } from './hooks.js';
import { RecipesViews } from './recipes-views.js';

/** Making originals smaller: without changing a pixel, unless it is wished, and with a way back. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one form with its rehearsal
export function OriginalsPage() {
  const [q, setQ] = useState('kind:image');
  const [mode, setMode] = useState<'lossless' | '0.995' | '0.98'>('lossless');
  const request: OptimiseRequest = {
    select: { q, folder: '/', deep: true },
    ...(mode !== 'lossless' && { mode: 'likeness', likeness: Number(mode) }),
  };
  const { data: plan, error } = useOptimiseRehearsal(useDebounced(request, 300));
  const { data: saved } = useOptimised();
  const { optimise } = useRecipeChanges();
  const mayWrite = useRight('library:write');
  const navigate = useNavigate();
  const carryOut = async () => {
    const { run } = await optimise.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  return (
    <Page
      title="Recipes"
      note={
        saved &&
        (saved.files === 0
          ? 'No original was made smaller yet.'
          : `${formatCount(saved.files, 'original')} made smaller: ${formatBytes(saved.before - saved.after)} of ${formatBytes(saved.before)} saved.`)
      }
      actions={
        <>
          <AsCode
            code={{
              method: 'POST',
              path: '/assets/optimise?rehearse=true',
              body: request,
              client: `const { plan } = await uniferum.renditions.rehearseOptimise(${JSON.stringify(request)});\nconst { run } = await uniferum.renditions.optimise(${JSON.stringify(request)});`,
              command: commandLine(
                'optimise',
                q,
                ...(mode === 'lossless' ? [] : ['--likeness', mode]),
                '--rehearse',
              ),
            }}
          />
          {mayWrite && (
            <Button
              look="main"
              disabled={!plan || plan.totals.possible === 0 || optimise.isPending}
              onClick={() => void carryOut().catch(() => {})}
            >
              {plan ? `Optimise ${formatCount(plan.totals.possible, 'original')}` : 'Rehearsing …'}
            </Button>
          )}
        </>
      }
    >
      <RecipesViews />
      <div className="flex items-start gap-6 border-b border-rule px-6 py-3">
        <Field label="Of what a filter finds" className="w-80">
          {(props) => (
            <Input
              {...props}
              className="font-mono"
              value={q}
              onChange={(event) => setQ(event.target.value)}
            />
          )}
        </Field>
        <Field label="How" className="w-80">
          {(props) => (
            <Select {...props} value={mode} onChange={(event) => setMode(event.target.value as typeof mode)}>
              <option value="lossless">lossless, not a pixel changes</option>
              <option value="0.995">so that no difference is seen, likeness 0.995</option>
              <option value="0.98">a difference is seen side by side, likeness 0.98</option>
            </Select>
          )}
        </Field>
        <p className="max-w-prose pt-6 text-sm text-soft">
          Each becomes a new version at the same address; the one before stays and can be restored. A file
          that is replaced later is made smaller again by itself.
        </p>
      </div>
      {(error ?? optimise.error) && <ErrorNotice error={error ?? optimise.error} />}
      <div
        className="min-h-0 flex-1 overflow-y-auto"
        tabIndex={0}
        role="region"
        aria-label="What would be looked at"
      >
        <ul>
          {plan?.items.map(({ asset, name, mime, bytes }) => (
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
        {plan && (
          <p className="px-6 py-2 text-sm text-soft">
            {formatNumber(plan.items.length)} of {formatNumber(plan.totals.possible)} listed,{' '}
            {formatBytes(plan.totals.bytes)}; {formatNumber(plan.totals.selected - plan.totals.possible)} of{' '}
            {formatNumber(plan.totals.selected)} found are of types that can’t be made smaller.
          </p>
        )}
      </div>
    </Page>
  );
}
