import type { RebuildRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { RebuildPlan, RecipeAnswer } from '@uniferum/core/recipes';
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
import { ScrollRegion } from '../ui/scroll-region.js';
import { StateMark } from '../ui/state-mark.js';
import { useDebounced } from '../ui/use-debounced.js';
import { useRecipeChanges, useRehearsal } from './hooks.js';

interface RebuildDialogProps {
  recipes: readonly RecipeAnswer[];
  start?: { recipe?: string; q?: string };
  onClose: () => void;
}

/** Rehearses a rebuild, then starts it. */
export function RebuildDialog({ recipes, start = {}, onClose }: RebuildDialogProps) {
  const [form, setForm] = useState<RebuildForm>({
    recipe: start.recipe ?? '',
    only: 'unfinished',
    folder: '',
    q: start.q ?? '',
  });
  const request = requestOf(form);
  const rehearsal = useRehearsal(useDebounced(request, 250));
  const { rebuild } = useRecipeChanges();
  const navigate = useNavigate();
  const apply = async () => {
    const { run } = await rebuild.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  const plan = rehearsal.data?.plan;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Rehearse a rebuild"
      description="Lists what would be rendered. Existing files are served until the new ones are ready; nothing happens until you start it."
      className="w-[46rem]"
    >
      <div className="flex flex-col gap-4">
        <FormFields recipes={recipes} form={form} onChange={setForm} />
        {rehearsal.error && <ErrorNotice error={rehearsal.error} />}
        <PlanList plan={plan} />
        <p className="h-5 text-sm text-soft">
          {plan && plan.totals.renditions > 0 && <Totals totals={plan.totals} listed={plan.items.length} />}
        </p>
        <FormFoot error={rebuild.error} code={rebuildCode(form)}>
          <Button
            look="main"
            disabled={!plan || plan.totals.renditions === 0 || rebuild.isPending}
            onClick={() => void apply().catch(() => {})}
          >
            {plan ? `Render ${formatCount(plan.totals.renditions, 'rendition')}` : 'Rehearsing …'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

/** The state of the form; empty values select everything. */
interface RebuildForm {
  recipe: string;
  only: RebuildRequest['only'];
  folder: string;
  q: string;
}

function requestOf({ recipe, only, folder, q }: RebuildForm): RebuildRequest {
  const isPart = q.trim() !== '' || folder !== '';
  return {
    only,
    ...(recipe && { recipes: [recipe] }),
    ...(isPart && { select: { q, folder: folder || '/', deep: true } }),
  };
}

function rebuildCode(form: RebuildForm) {
  const request = requestOf(form);
  const words = JSON.stringify(request);
  return {
    method: 'POST' as const,
    path: '/recipes/rebuild?rehearse=true',
    body: request,
    client: [
      `const { plan } = await uniferum.recipes.rehearseRebuild(${words});`,
      `const { run } = await uniferum.recipes.rebuild(${words});`,
      'await uniferum.runs.wait(run.id);',
    ].join('\n'),
    command: commandLine(
      'rebuild',
      ...(form.recipe ? [form.recipe] : []),
      '--only',
      form.only,
      ...(form.folder ? ['--in', form.folder] : []),
      ...(form.q ? ['--filter', form.q] : []),
      '--rehearse',
    ),
  };
}

const ONLY_WORDS: Record<RebuildRequest['only'], string> = {
  unfinished: 'All that are not fresh',
  outdated: 'Outdated ones',
  missing: 'Due and failed ones',
  failed: 'Failed ones',
  all: 'All of them',
};

interface FormFieldsProps {
  recipes: readonly RecipeAnswer[];
  form: RebuildForm;
  onChange: (form: RebuildForm) => void;
}

function FormFields({ recipes, form, onChange }: FormFieldsProps) {
  const set = (part: Partial<RebuildForm>) => onChange({ ...form, ...part });
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-3">
      <Field label="Recipe">
        {(props) => (
          <Select {...props} value={form.recipe} onChange={(event) => set({ recipe: event.target.value })}>
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
            value={form.only}
            onChange={(event) => set({ only: event.target.value as RebuildRequest['only'] })}
          >
            {Object.entries(ONLY_WORDS).map(([only, words]) => (
              <option key={only} value={only}>
                {words}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <PartFields form={form} set={set} />
    </div>
  );
}

function PartFields({ form, set }: { form: RebuildForm; set: (part: Partial<RebuildForm>) => void }) {
  return (
    <>
      <Field label="Folder, including subfolders">
        {(props) => (
          <FolderPicker
            {...props}
            none="the whole library"
            value={form.folder}
            onChange={(folder) => set({ folder })}
          />
        )}
      </Field>
      <Field label="Filter">
        {(props) => (
          <Input
            {...props}
            className="font-mono"
            placeholder="kind:image captured:2026"
            value={form.q}
            onChange={(event) => set({ q: event.target.value })}
          />
        )}
      </Field>
    </>
  );
}

function PlanList({ plan }: { plan: RebuildPlan | undefined }) {
  return (
    <ScrollRegion label="What would be rendered" className="h-56 border-y border-rule">
      {plan?.totals.renditions === 0 && (
        <p className="py-3 text-soft">Nothing to render: there are no such renditions.</p>
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
    </ScrollRegion>
  );
}

interface TotalsProps {
  totals: {
    renditions: number;
    assets: number;
    bytesNow: number;
    bytesAfter: number | null;
    seconds: number | null;
  };
  listed: number;
}

function Totals({ totals, listed }: TotalsProps) {
  return (
    <>
      {formatNumber(listed)} of {formatCount(totals.renditions, 'rendition')} listed, of{' '}
      {formatCount(totals.assets, 'file')}
      {totals.seconds !== null && `; about ${formatSeconds(Math.max(1, totals.seconds))}`}
      {totals.bytesAfter !== null &&
        `; ${formatBytes(totals.bytesNow)} now, about ${formatBytes(totals.bytesAfter)} afterwards`}
    </>
  );
}
