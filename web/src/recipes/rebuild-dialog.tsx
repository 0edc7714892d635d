import type { RebuildRequest } from '@uniferum/client';
import { formatCount, type RecipeAnswer } from '@uniferum/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Select } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { useRecipeChanges, useRehearsal } from './hooks.js';

/** First the list of what would be made; then it can be carried out. */
export function RebuildDialog({
  recipes,
  onClose,
}: {
  recipes: readonly RecipeAnswer[];
  onClose: () => void;
}) {
  const [recipe, setRecipe] = useState('');
  const [only, setOnly] = useState<RebuildRequest['only']>('outdated');
  const request: RebuildRequest = { only, ...(recipe && { recipes: [recipe] }) };
  const rehearsal = useRehearsal(request);
  const { rebuild } = useRecipeChanges();
  const navigate = useNavigate();
  const carryOut = async () => {
    const { run } = await rebuild.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  const plan = rehearsal.data?.plan;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Rehearse a rebuild"
      description="The list is what would be made. Nothing happens until you carry it out."
    >
      <div className="flex flex-col gap-4">
        <div className="grid grid-cols-2 gap-4">
          <Field label="Recipe">
            {(props) => (
              <Select {...props} value={recipe} onChange={(event) => setRecipe(event.target.value)}>
                <option value="">All recipes</option>
                {recipes.map(({ name, title }) => (
                  <option key={name} value={name}>
                    {title}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <Field label="Renditions">
            {(props) => (
              <Select
                {...props}
                value={only}
                onChange={(event) => setOnly(event.target.value as RebuildRequest['only'])}
              >
                <option value="outdated">Outdated ones</option>
                <option value="missing">Due and failed ones</option>
                <option value="all">All of them</option>
              </Select>
            )}
          </Field>
        </div>
        {rehearsal.error && <ErrorNotice error={rehearsal.error} />}
        <div className="h-64 overflow-y-auto border-y border-rule">
          {plan?.totals.renditions === 0 && (
            <p className="py-3 text-soft">Nothing would be made: there are no such renditions.</p>
          )}
          <ul>
            {plan?.items.map((item) => (
              <li
                key={`${item.asset} ${item.recipe}`}
                className="grid grid-cols-[minmax(0,1fr)_8rem_7rem] gap-4 border-b border-rule py-1 text-sm"
              >
                <span className="truncate">{item.name}</span>
                <span className="font-mono text-xs leading-5">~{item.recipe}</span>
                <StateMark state={item.state} />
              </li>
            ))}
          </ul>
        </div>
        {plan && plan.totals.renditions > 0 && (
          <p className="text-sm">
            {formatNumber(plan.items.length)} of {formatCount(plan.totals.renditions, 'rendition')} listed, of{' '}
            {formatCount(plan.totals.assets, 'picture')}.
          </p>
        )}
        {rebuild.error && <ErrorNotice error={rebuild.error} />}
        <div className="flex items-center justify-between">
          <Button
            look="main"
            disabled={!plan || plan.totals.renditions === 0 || rebuild.isPending}
            onClick={() => void carryOut().catch(() => {})}
          >
            {plan ? `Make ${formatCount(plan.totals.renditions, 'rendition')}` : 'Rehearsing …'}
          </Button>
          <AsCode
            code={{
              method: 'POST',
              path: '/recipes/rebuild?rehearse=true',
              body: request,
              client: `const { plan } = await uniferum.recipes.rehearseRebuild(${JSON.stringify(request)});\nconst { run } = await uniferum.recipes.rebuild(${JSON.stringify(request)});\nawait uniferum.runs.wait(run.id);`,
            }}
          />
        </div>
      </div>
    </Dialog>
  );
}
