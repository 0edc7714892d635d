import type { RulesPlan } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { Folder } from '@uniferum/core/library';
import {
  DUPLICATE_RULES,
  type DuplicateRule,
  type FolderRules,
  REQUIRABLE_TEXTS,
} from '@uniferum/core/rules';
import { type UseFormReturn, useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { usePutRules, useRehearseRules } from './hooks.js';
import { RULE_CHECKS, type RulesForm, toForm, toRules } from './rules-form.js';

interface OwnRulesProps {
  folder: Folder;
  own: FolderRules;
  onDone: () => void;
}

/** The rules a folder sets itself: rehearsed against existing files, then saved. */
export function OwnRules({ folder, own, onDone }: OwnRulesProps) {
  const form = useForm<RulesForm>({ defaultValues: toForm(own) });
  const put = usePutRules();
  const rehearse = useRehearseRules();
  const submit = form.handleSubmit(async (typed) => {
    await put.mutateAsync({ folderId: folder.id, rules: toRules(typed) });
    release();
    onDone();
  });
  const rules = toRules(form.watch());
  const release = useUnsavedChanges(form.formState.isDirty ? 'The rules have not been saved.' : null);
  return (
    <form
      onSubmit={(event) => void submit(event).catch(() => {})}
      className="flex flex-col gap-4 border-t border-rule pt-4"
    >
      <h3 className="font-semibold">Set here</h3>
      <TypeFields form={form} />
      <LimitFields form={form} />
      <ContentFields form={form} />
      <CheckFields form={form} />
      <Checkbox label="Take limits and allowances from the folders above" {...form.register('inherit')} />
      {rehearse.data && <Outside plan={rehearse.data.plan} />}
      <FormFoot error={rehearse.error ?? put.error} code={rulesCode(folder, rules)}>
        <Button disabled={rehearse.isPending} onClick={() => rehearse.mutate({ folderId: folder.id, rules })}>
          Rehearse
        </Button>
        <Button look="main" type="submit" disabled={put.isPending}>
          Save the rules
        </Button>
      </FormFoot>
    </form>
  );
}

interface FieldsProps {
  form: UseFormReturn<RulesForm>;
}

function TypeFields({ form: { register, formState } }: FieldsProps) {
  return (
    <div className="grid grid-cols-2 gap-4">
      <Field
        label="Takes only"
        hint="Extensions or types; empty takes from above."
        error={formState.errors.allow?.message}
      >
        {(props) => (
          <Input placeholder="jpg, png, image/*" {...props} {...register('allow', RULE_CHECKS.types)} />
        )}
      </Field>
      <Field
        label="Never takes"
        hint="Added to the denials from above."
        error={formState.errors.deny?.message}
      >
        {(props) => <Input placeholder="exe, html" {...props} {...register('deny', RULE_CHECKS.types)} />}
      </Field>
    </div>
  );
}

const LIMITS = [
  { name: 'maxMegabytes', label: 'Largest file, MB', check: RULE_CHECKS.decimal, mode: 'decimal' },
  { name: 'maxItems', label: 'Most items', check: RULE_CHECKS.whole, mode: 'numeric' },
  { name: 'minWidth', label: 'Least width, px', check: RULE_CHECKS.whole, mode: 'numeric' },
  { name: 'minHeight', label: 'Least height, px', check: RULE_CHECKS.whole, mode: 'numeric' },
  { name: 'maxPixels', label: 'Most pixels', check: RULE_CHECKS.whole, mode: 'numeric' },
] as const;

function LimitFields({ form: { register, formState } }: FieldsProps) {
  return (
    <div className="grid grid-cols-5 gap-4">
      {LIMITS.map(({ name, label, check, mode }) => (
        <Field key={name} label={label} error={formState.errors[name]?.message}>
          {(props) => <Input inputMode={mode} className="text-right" {...props} {...register(name, check)} />}
        </Field>
      ))}
    </div>
  );
}

function ContentFields({ form: { register } }: FieldsProps) {
  return (
    <div className="flex flex-wrap items-end gap-6">
      <Field label="The same bytes again" className="w-44">
        {(props) => (
          <Select {...props} {...register('duplicates')}>
            <option value="">as above</option>
            {DUPLICATE_RULES.map((rule) => (
              <option key={rule} value={rule}>
                {DUPLICATE_WORDS[rule]}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <fieldset className="flex flex-col gap-1">
        <legend className="text-sm font-medium">Required texts</legend>
        <div className="flex h-8 gap-4">
          {REQUIRABLE_TEXTS.map((text) => (
            <Checkbox key={text} label={text} value={text} {...register('requireTexts')} />
          ))}
        </div>
      </fieldset>
    </div>
  );
}

const DUPLICATE_WORDS: Record<DuplicateRule, string> = {
  allow: 'are accepted',
  warn: 'are accepted with a warning',
  refuse: 'are refused',
  reuse: 'reuse the asset that is there',
};

function CheckFields({ form: { register, formState } }: FieldsProps) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_7rem_13rem] gap-4">
      <Field
        label="Ask an address about each file"
        hint="It gets a signed request (Standard Webhooks) and answers { accept, message }."
        error={formState.errors.checkUrl?.message}
      >
        {(props) => (
          <Input placeholder="https://…" {...props} {...register('checkUrl', RULE_CHECKS.address)} />
        )}
      </Field>
      <Field label="Within, s">
        {(props) => (
          <Input inputMode="decimal" className="text-right" {...props} {...register('checkSeconds')} />
        )}
      </Field>
      <Field label="Without an answer">
        {(props) => (
          <Select {...props} {...register('checkFailure')}>
            <option value="refuse">files are refused</option>
            <option value="accept">files are taken</option>
          </Select>
        )}
      </Field>
    </div>
  );
}

/** The files that would violate changed rules; they stay, but are listed beforehand. */
function Outside({ plan: { items, totals } }: { plan: RulesPlan }) {
  return (
    <section
      aria-label="What it would put outside"
      className="border-l-2 border-ochre bg-ochre/10 px-3 py-2 text-sm"
    >
      <p className="font-medium">
        {formatNumber(totals.outside)} of {formatCount(totals.present, 'present file')} would be outside
        {totals.outsideNow > 0 && `; ${formatNumber(totals.outsideNow)} are so already`}.
      </p>
      <p className="text-soft">
        {totals.outside > 0
          ? 'They stay where they are: rules hold for what comes.'
          : 'Everything that is there fits.'}
      </p>
      <ul className="max-h-28 overflow-y-auto">
        {items.slice(0, 30).map(({ asset, name, verdict }) => (
          <li
            key={asset}
            className="truncate"
            title={verdict.reasons.map(({ message }) => message).join(' ')}
          >
            <span className="font-medium">{name}</span>{' '}
            <span className="text-soft">{verdict.reasons.map(({ message }) => message).join(' ')}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function rulesCode(folder: Folder, rules: FolderRules) {
  return {
    method: 'PUT' as const,
    path: `/folders/${folder.id}/rules`,
    body: rules,
    client: `await uniferum.folders.putRules('${folder.id}', ${JSON.stringify(rules, null, 2)});`,
    command: commandLine('rules', folder.path, '--set', JSON.stringify(rules)),
  };
}
