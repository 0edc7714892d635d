import type { RulesPlan, Tagged } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { Folder } from '@uniferum/core/library';
import {
  DUPLICATE_RULES,
  type DuplicateRule,
  type FolderRules,
  REQUIRABLE_TEXTS,
} from '@uniferum/core/rules';
import { useState } from 'react';
import { type UseFormReturn, useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Conflicts } from '../ui/conflicts.js';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useOpenedRules, useRehearseRules, useSaveRules } from './hooks.js';
import { RULE_CHECKS, RULE_LABELS, type RulesForm, toForm, toRules } from './rules-form.js';

interface OwnRulesProps {
  /** The folder for which the form was opened. */
  folder: Folder;
  onDone: () => void;
}

/** The rules a folder sets itself: rehearsed against existing files, then saved. */
export function OwnRules({ folder, onDone }: OwnRulesProps) {
  const { data: opened, error } = useOpenedRules(folder.id);
  if (error) return <ErrorNotice error={error} />;
  if (!opened) return null;
  return (
    <OwnRulesForm
      folder={folder}
      opened={{ value: toForm(opened.value.own), etag: opened.etag }}
      onDone={onDone}
    />
  );
}

interface OwnRulesFormProps extends OwnRulesProps {
  opened: Tagged<RulesForm>;
}

function OwnRulesForm({ folder, opened, onDone }: OwnRulesFormProps) {
  const form = useForm<RulesForm>({ defaultValues: opened.value });
  const [base, setBase] = useState(opened);
  const save = useSaveRules(folder.id);
  const rehearse = useRehearseRules();
  const submit = form.handleSubmit(async (mine) => {
    const unresolved = await save.mutateAsync({ base, mine });
    if (unresolved === null) return onDone();
    setBase(unresolved.base);
    form.reset(unresolved.mine);
  });
  const rules = toRules(form.watch());
  const isChanged = JSON.stringify(rules) !== JSON.stringify(toRules(base.value));
  useUnsavedChanges(isChanged ? 'The rules have not been saved.' : null);
  return (
    <form
      onSubmit={(event) => void submit(event).catch(() => {})}
      className="flex flex-col gap-4 border-t border-rule pt-4"
    >
      <h3 className="font-semibold">Rules of this folder</h3>
      <TypeFields form={form} />
      <LimitFields form={form} />
      <ContentFields form={form} />
      <CheckFields form={form} />
      <Checkbox label={RULE_LABELS.inherit} {...form.register('inherit')} />
      <Conflicts
        what="these rules"
        conflicts={save.data?.conflicts ?? []}
        wordsOf={(field) => RULE_LABELS[field]}
        onChoose={(field, value) => form.setValue(field, value as never)}
      />
      {rehearse.data && <Outside plan={rehearse.data.plan} />}
      <FormFoot error={rehearse.error ?? save.error} code={rulesCode(folder, rules)}>
        <Button disabled={rehearse.isPending} onClick={() => rehearse.mutate({ folderId: folder.id, rules })}>
          Rehearse
        </Button>
        <Button look="main" type="submit" disabled={save.isPending}>
          Save rules
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
        label={RULE_LABELS.allow}
        hint="Extensions or types; empty inherits."
        error={formState.errors.allow?.message}
      >
        {(props) => (
          <Input placeholder="jpg, png, image/*" {...props} {...register('allow', RULE_CHECKS.types)} />
        )}
      </Field>
      <Field label={RULE_LABELS.deny} hint="Added to inherited ones." error={formState.errors.deny?.message}>
        {(props) => <Input placeholder="exe, html" {...props} {...register('deny', RULE_CHECKS.types)} />}
      </Field>
    </div>
  );
}

const LIMITS = [
  { name: 'maxMegabytes', check: RULE_CHECKS.decimal, mode: 'decimal' },
  { name: 'maxItems', check: RULE_CHECKS.whole, mode: 'numeric' },
  { name: 'minWidth', check: RULE_CHECKS.whole, mode: 'numeric' },
  { name: 'minHeight', check: RULE_CHECKS.whole, mode: 'numeric' },
  { name: 'maxPixels', check: RULE_CHECKS.whole, mode: 'numeric' },
] as const;

function LimitFields({ form: { register, formState } }: FieldsProps) {
  return (
    <div className="grid grid-cols-5 gap-4">
      {LIMITS.map(({ name, check, mode }) => (
        <Field key={name} label={RULE_LABELS[name]} error={formState.errors[name]?.message}>
          {(props) => <Input inputMode={mode} className="text-right" {...props} {...register(name, check)} />}
        </Field>
      ))}
    </div>
  );
}

function ContentFields({ form: { register } }: FieldsProps) {
  return (
    <div className="flex flex-wrap items-end gap-6">
      <Field label={RULE_LABELS.duplicates} className="w-44">
        {(props) => (
          <Select {...props} {...register('duplicates')}>
            <option value="">inherit</option>
            {DUPLICATE_RULES.map((rule) => (
              <option key={rule} value={rule}>
                {DUPLICATE_WORDS[rule]}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <fieldset className="flex flex-col gap-1">
        <legend className="text-sm font-medium">{RULE_LABELS.requireTexts}</legend>
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
        label={RULE_LABELS.checkUrl}
        hint="Receives a signed request (Standard Webhooks) and answers { accept, message }."
        error={formState.errors.checkUrl?.message}
      >
        {(props) => (
          <Input placeholder="https://…" {...props} {...register('checkUrl', RULE_CHECKS.address)} />
        )}
      </Field>
      <Field label={RULE_LABELS.checkSeconds}>
        {(props) => (
          <Input inputMode="decimal" className="text-right" {...props} {...register('checkSeconds')} />
        )}
      </Field>
      <Field label={RULE_LABELS.checkFailure}>
        {(props) => (
          <Select {...props} {...register('checkFailure')}>
            <option value="refuse">refuse files</option>
            <option value="accept">accept files</option>
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
      aria-label="What would break the rules"
      className="border-l-2 border-ochre bg-ochre/10 px-3 py-2 text-sm"
    >
      <p className="font-medium">
        {formatNumber(totals.outside)} of {formatCount(totals.present, 'existing file')} would break the rules
        {totals.outsideNow > 0 && `; ${formatNumber(totals.outsideNow)} already do`}.
      </p>
      <p className="text-soft">
        {totals.outside > 0
          ? 'They stay where they are: rules apply to new files.'
          : 'All existing files comply.'}
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
