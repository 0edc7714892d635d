import type { RebuildRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { RecipeAnswer } from '@uniferum/core/recipes';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { FolderPicker } from '../library/folder-picker.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber, formatSeconds } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { useDebounced } from '../ui/use-debounced.js';
import { useRecipeChanges, useRehearsal } from './hooks.js';

/** First the list of what would be made; then it can be carried out. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one form with its rehearsal
export function RebuildDialog({
  recipes,
  start = {},
  onClose,
}: {
  recipes: readonly RecipeAnswer[];
  start?: { recipe?: string; q?: string };
  onClose: () => void;
}) {
  const [recipe, setRecipe] = useState(start.recipe ?? '');
  const [only, setOnly] = useState<RebuildRequest['only']>('unfinished');
  const [q, setQ] = useState(start.q ?? '');
  const [folder, setFolder] = useState('');
  const isPart = q.trim() !== '' || folder !== '';
  const request: RebuildRequest = {
    only,
    ...(recipe && { recipes: [recipe] }),
    ...(isPart && { select: { q, folder: folder || '/', deep: true } }),
  };
  const rehearsal = useRehearsal(useDebounced(request, 250));
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
      description="The list is what would be made. What is there serves until the new files are; nothing happens until you carry it out."
      className="w-[46rem]"
    >
      <div className="flex flex-col gap-4">
        <div className="grid grid-cols-2 gap-x-4 gap-y-3">
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
                <option value="unfinished">All that are not fresh</option>
                <option value="outdated">Outdated ones</option>
                <option value="missing">Due and failed ones</option>
                <option value="failed">Failed ones</option>
                <option value="all">All of them</option>
              </Select>
            )}
          </Field>
          <Field label="In the folder, and below">
            {(props) => (
              <FolderPicker {...props} none="the whole library" value={folder} onChange={setFolder} />
            )}
          </Field>
          <Field label="Of what a filter finds">
            {(props) => (
              <Input
                {...props}
                className="font-mono"
                placeholder="kind:image captured:2026"
                value={q}
                onChange={(event) => setQ(event.target.value)}
              />
            )}
          </Field>
        </div>
        {rehearsal.error && <ErrorNotice error={rehearsal.error} />}
        <div
          className="h-56 overflow-y-auto border-y border-rule"
          tabIndex={0}
          role="region"
          aria-label="What would be made"
        >
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
        <p className="h-5 text-sm text-soft">
          {plan && plan.totals.renditions > 0 && <Totals totals={plan.totals} listed={plan.items.length} />}
        </p>
        <FormFoot
          error={rebuild.error}
          code={{
            method: 'POST',
            path: '/recipes/rebuild?rehearse=true',
            body: request,
            client: `const { plan } = await uniferum.recipes.rehearseRebuild(${JSON.stringify(request)});\nconst { run } = await uniferum.recipes.rebuild(${JSON.stringify(request)});\nawait uniferum.runs.wait(run.id);`,
            command: commandLine(
              'rebuild',
              ...(recipe ? [recipe] : []),
              '--only',
              only,
              ...(folder ? ['--folder', folder] : []),
              ...(q ? ['--filter', q] : []),
              '--rehearse',
            ),
          }}
        >
          <Button
            look="main"
            disabled={!plan || plan.totals.renditions === 0 || rebuild.isPending}
            onClick={() => void carryOut().catch(() => {})}
          >
            {plan ? `Make ${formatCount(plan.totals.renditions, 'rendition')}` : 'Rehearsing …'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function Totals({
  totals,
  listed,
}: {
  totals: {
    renditions: number;
    assets: number;
    bytesNow: number;
    bytesAfter: number | null;
    seconds: number | null;
  };
  listed: number;
}) {
  return (
    <>
      {formatNumber(listed)} of {formatCount(totals.renditions, 'rendition')} listed, of{' '}
      {formatCount(totals.assets, 'file')}
      {totals.seconds !== null && `; about ${formatSeconds(Math.max(1, totals.seconds))}`}
      {totals.bytesAfter !== null &&
        `; ${formatBytes(totals.bytesNow)} now, about ${formatBytes(totals.bytesAfter)} then`}
    </>
  );
}
