import type { RulesPlan } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { Folder } from '@uniferum/core/library';
import {
  DUPLICATE_RULES,
  type DuplicateRule,
  type FolderRules,
  isTypePattern,
  NO_RULES,
  REQUIRABLE_TEXTS,
  type RequirableText,
} from '@uniferum/core/rules';
import { useForm } from 'react-hook-form';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { EffectiveRuleList } from './effective-rules.js';
import { usePutRules, useRehearseRules, useRules } from './hooks.js';

interface RulesForm {
  maxMegabytes: string;
  maxItems: string;
  allow: string;
  deny: string;
  minWidth: string;
  minHeight: string;
  requireTexts: RequirableText[];
  maxPixels: string;
  duplicates: '' | DuplicateRule;
  checkUrl: string;
  checkSeconds: string;
  checkFailure: 'accept' | 'refuse';
  inherit: boolean;
}

interface RulesDialogProps {
  folder: Folder;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

/** Shows what a folder accepts, and changes what it sets itself. */
export function RulesDialog({ folder, isOpen, onOpenChange }: RulesDialogProps) {
  const { data, error } = useRules(folder.id);
  const mayChange = useRight('rules:write');
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Rules of ${folder.path}`}
      description="They pass down to the folders below, unless one of those sets its own. A denial always holds."
      className="w-[52rem]"
    >
      {error && <ErrorNotice error={error} />}
      {data && (
        <div className="flex flex-col gap-5">
          <section aria-label="Rules that hold here">
            <EffectiveRuleList rules={data.effective} folder={folder.path} />
          </section>
          {mayChange ? (
            <OwnRules folder={folder} own={data.own} onDone={() => onOpenChange(false)} />
          ) : (
            <p className="text-sm text-soft">To change rules you need the right “rules:write”.</p>
          )}
        </div>
      )}
    </Dialog>
  );
}

// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one form, whose fields share its state
function OwnRules({ folder, own, onDone }: { folder: Folder; own: FolderRules; onDone: () => void }) {
  const { register, handleSubmit, formState, watch } = useForm<RulesForm>({ defaultValues: toForm(own) });
  const put = usePutRules();
  const rehearse = useRehearseRules();
  const submit = handleSubmit(async (form) => {
    await put.mutateAsync({ folderId: folder.id, rules: toRules(form) });
    onDone();
  });
  const whole = { pattern: { value: /^\d*$/, message: 'Write a whole number, or nothing.' } };
  const types = {
    validate: (text: string) =>
      splitTypes(text).every(isTypePattern) ||
      'Write extensions or types, such as jpg, image/png or audio/*.',
  };
  const rules = toRules(watch());
  return (
    <form
      onSubmit={(event) => void submit(event).catch(() => {})}
      className="flex flex-col gap-4 border-t border-rule pt-4"
    >
      <h3 className="font-semibold">Set here</h3>
      <div className="grid grid-cols-2 gap-4">
        <Field
          label="Takes only"
          hint="Extensions or types; empty takes from above."
          error={formState.errors.allow?.message}
        >
          {(props) => <Input placeholder="jpg, png, image/*" {...props} {...register('allow', types)} />}
        </Field>
        <Field
          label="Never takes"
          hint="Added to the denials from above."
          error={formState.errors.deny?.message}
        >
          {(props) => <Input placeholder="exe, html" {...props} {...register('deny', types)} />}
        </Field>
      </div>
      <div className="grid grid-cols-5 gap-4">
        <Field label="Largest file, MB" error={formState.errors.maxMegabytes?.message}>
          {(props) => (
            <Input
              inputMode="decimal"
              className="text-right"
              {...props}
              {...register('maxMegabytes', {
                pattern: { value: /^(\d+([.]\d+)?)?$/, message: 'Write a number, or nothing.' },
              })}
            />
          )}
        </Field>
        <Field label="Most items" error={formState.errors.maxItems?.message}>
          {(props) => (
            <Input inputMode="numeric" className="text-right" {...props} {...register('maxItems', whole)} />
          )}
        </Field>
        <Field label="Least width, px" error={formState.errors.minWidth?.message}>
          {(props) => (
            <Input inputMode="numeric" className="text-right" {...props} {...register('minWidth', whole)} />
          )}
        </Field>
        <Field label="Least height, px" error={formState.errors.minHeight?.message}>
          {(props) => (
            <Input inputMode="numeric" className="text-right" {...props} {...register('minHeight', whole)} />
          )}
        </Field>
        <Field label="Most pixels" error={formState.errors.maxPixels?.message}>
          {(props) => (
            <Input inputMode="numeric" className="text-right" {...props} {...register('maxPixels', whole)} />
          )}
        </Field>
      </div>
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
      <div className="grid grid-cols-[minmax(0,1fr)_7rem_13rem] gap-4">
        <Field
          label="Ask an address about each file"
          hint="It gets a signed request (Standard Webhooks) and answers { accept, message }."
          error={formState.errors.checkUrl?.message}
        >
          {(props) => (
            <Input
              placeholder="https://…"
              {...props}
              {...register('checkUrl', {
                pattern: {
                  value: /^(https?:\/\/\S+)?$/,
                  message: 'Write an http or https address, or nothing.',
                },
              })}
            />
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
      <Checkbox label="Take limits and allowances from the folders above" {...register('inherit')} />
      {rehearse.data && <Outside plan={rehearse.data.plan} />}
      <FormFoot
        error={rehearse.error ?? put.error}
        code={{
          method: 'PUT',
          path: `/folders/${folder.id}/rules`,
          body: rules,
          client: `await uniferum.folders.putRules('${folder.id}', ${JSON.stringify(rules, null, 2)});`,
          command: commandLine('rules', folder.path, '--set', JSON.stringify(rules)),
        }}
      >
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

/** What a change would put outside: nothing is moved, but it is said before. */
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

const DUPLICATE_WORDS: Record<DuplicateRule, string> = {
  allow: 'are accepted',
  warn: 'are accepted with a warning',
  refuse: 'are refused',
  reuse: 'reuse the asset that is there',
};

const BYTES_PER_MB = 1_000_000;

function toForm(rules: FolderRules): RulesForm {
  const number = (value: number | null) => (value === null ? '' : String(value));
  return {
    maxMegabytes: rules.maxBytes === null ? '' : String(rules.maxBytes / BYTES_PER_MB),
    maxItems: number(rules.maxItems),
    allow: rules.allow.join(', '),
    deny: rules.deny.join(', '),
    minWidth: number(rules.minWidth),
    minHeight: number(rules.minHeight),
    requireTexts: rules.requireTexts,
    maxPixels: number(rules.maxPixels),
    duplicates: rules.duplicates ?? '',
    checkUrl: rules.check?.url ?? '',
    checkSeconds: String((rules.check?.timeoutMs ?? 5000) / 1000),
    checkFailure: rules.check?.onFailure ?? 'refuse',
    inherit: rules.inherit,
  };
}

function toRules(form: RulesForm): FolderRules {
  const number = (text: string) => (text === '' ? null : Number(text));
  return {
    maxBytes: form.maxMegabytes === '' ? null : Math.round(Number(form.maxMegabytes) * BYTES_PER_MB),
    maxItems: number(form.maxItems),
    allow: splitTypes(form.allow),
    deny: splitTypes(form.deny),
    minWidth: number(form.minWidth),
    minHeight: number(form.minHeight),
    requireTexts: form.requireTexts || NO_RULES.requireTexts,
    maxPixels: number(form.maxPixels),
    duplicates: form.duplicates === '' ? null : form.duplicates,
    check:
      form.checkUrl === ''
        ? null
        : {
            url: form.checkUrl,
            timeoutMs: Math.round(Number(form.checkSeconds) * 1000) || 5000,
            onFailure: form.checkFailure,
          },
    inherit: form.inherit,
  };
}

function splitTypes(text: string): string[] {
  return [
    ...new Set(
      text
        .toLowerCase()
        .split(/[\s,]+/)
        .map((type) => type.replace(/^\./, '')),
    ),
  ].filter((type) => type !== '');
}
