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
  allow: 'Allowed types',
  deny: 'Denied types',
  maxMegabytes: 'Maximum size, MB',
  maxItems: 'Maximum items',
  minWidth: 'Minimum width, px',
  minHeight: 'Minimum height, px',
  maxPixels: 'Maximum pixels',
  duplicates: 'Exact duplicates',
  requireTexts: 'Required texts',
  checkUrl: 'Check by webhook',
  checkSeconds: 'Timeout, s',
  checkFailure: "If it doesn't answer",
  inherit: 'Inherit limits and allowed types',
};

/** Validation of form values, in the form library's format. */
export const RULE_CHECKS = {
  whole: { pattern: { value: /^\d*$/, message: 'Enter a whole number, or leave it empty.' } },
  decimal: { pattern: { value: /^(\d+([.]\d+)?)?$/, message: 'Enter a number, or leave it empty.' } },
  address: {
    pattern: { value: /^(https?:\/\/\S+)?$/, message: 'Enter an http or https address, or leave it empty.' },
  },
  types: {
    validate: (text: string) =>
      splitTypes(text).every(isTypePattern) ||
      'Enter extensions or types, such as jpg, image/png or audio/*.',
  },
};
