import {
  type DuplicateRule,
  type FolderRules,
  isTypePattern,
  NO_RULES,
  type RequirableText,
} from '@uniferum/core/rules';

/** The fields of the rules form, as typed. */
export interface RulesForm {
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

const BYTES_PER_MB = 1_000_000;

/** A folder's own rules as form values; empty where it sets nothing. */
export function toForm(rules: FolderRules): RulesForm {
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

/** Form values as rules; an empty field is inherited. */
export function toRules(form: RulesForm): FolderRules {
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

export function splitTypes(text: string): string[] {
  return [
    ...new Set(
      text
        .toLowerCase()
        .split(/[\s,]+/)
        .map((type) => type.replace(/^\./, '')),
    ),
  ].filter((type) => type !== '');
}

export const RULE_LABELS: Record<keyof RulesForm, string> = {
  allow: 'Takes only',
  deny: 'Never takes',
  maxMegabytes: 'Largest file, MB',
  maxItems: 'Most items',
  minWidth: 'Least width, px',
  minHeight: 'Least height, px',
  maxPixels: 'Most pixels',
  duplicates: 'The same bytes again',
  requireTexts: 'Required texts',
  checkUrl: 'Ask an address about each file',
  checkSeconds: 'Within, s',
  checkFailure: 'Without an answer',
  inherit: 'Take limits and allowances from the folders above',
};

/** Validation of form values, in the form library's format. */
export const RULE_CHECKS = {
  whole: { pattern: { value: /^\d*$/, message: 'Write a whole number, or nothing.' } },
  decimal: { pattern: { value: /^(\d+([.]\d+)?)?$/, message: 'Write a number, or nothing.' } },
  address: {
    pattern: { value: /^(https?:\/\/\S+)?$/, message: 'Write an http or https address, or nothing.' },
  },
  types: {
    validate: (text: string) =>
      splitTypes(text).every(isTypePattern) ||
      'Write extensions or types, such as jpg, image/png or audio/*.',
  },
};
