/** How to treat a file whose bytes are in the library already; `reuse` stores nothing and answers with the existing asset. */
export const DUPLICATE_RULES = ['allow', 'warn', 'refuse', 'reuse'] as const;
export type DuplicateRule = (typeof DUPLICATE_RULES)[number];

/** The texts that a folder can require. */
export const REQUIRABLE_TEXTS = ['title', 'alt', 'caption', 'credit', 'keywords'] as const;
export type RequirableText = (typeof REQUIRABLE_TEXTS)[number];

/** A URL that is asked about each file before it is accepted. */
export interface CustomCheck {
  url: string;
  /** The time limit for the answer. */
  timeoutMs: number;
  /** The fallback without a valid answer in time. */
  onFailure: 'accept' | 'refuse';
}

/**
 * A folder's own rules. Null means "not set here". `allow` and `deny` contain extensions (`jpg`), media types
 * (`image/jpeg`) and wildcards (`image/*`).
 */
export interface FolderRules {
  maxBytes: number | null;
  /** The maximum number of items directly in the folder. */
  maxItems: number | null;
  allow: string[];
  deny: string[];
  minWidth: number | null;
  minHeight: number | null;
  maxPixels: number | null;
  requireTexts: RequirableText[];
  duplicates: DuplicateRule | null;
  check: CustomCheck | null;
  /** False ignores limits and allowances from above. Denials always apply. */
  inherit: boolean;
}

/** A folder without rules of its own, which inherits everything. */
export const NO_RULES: FolderRules = {
  maxBytes: null,
  maxItems: null,
  allow: [],
  deny: [],
  minWidth: null,
  minHeight: null,
  maxPixels: null,
  requireTexts: [],
  duplicates: null,
  check: null,
  inherit: true,
};

/** An effective rule, with the path of the folder that sets it. */
export interface Effective<Value> {
  value: Value;
  from: string;
}

/** The effective rules of a folder. Null: no such rule. Denials and required texts accumulate along the path. */
export interface EffectiveRules {
  maxBytes: Effective<number> | null;
  maxItems: Effective<number> | null;
  allow: Effective<string[]> | null;
  deny: Effective<string>[];
  minWidth: Effective<number> | null;
  minHeight: Effective<number> | null;
  maxPixels: Effective<number> | null;
  requireTexts: Effective<RequirableText>[];
  duplicates: Effective<DuplicateRule> | null;
  check: Effective<CustomCheck> | null;
}

/** The answer of `GET /folders/{id}/rules`. */
export interface RulesAnswer {
  own: FolderRules;
  effective: EffectiveRules;
}

/** One folder on the path from the root to the folder in question. */
export interface RuledFolder {
  path: string;
  rules: FolderRules;
}

/**
 * Computes the effective rules at the end of a chain of folders (root first). A nearer folder overrides a farther
 * one; a denial from any folder of the chain applies, whatever is allowed above or below it.
 */
export function resolveRules(chain: readonly RuledFolder[]): EffectiveRules {
  const cut = chain.findLastIndex((folder) => !folder.rules.inherit);
  const heirs = chain.slice(Math.max(cut, 0));
  const nearest = <Key extends keyof FolderRules>(
    key: Key,
  ): Effective<NonNullable<FolderRules[Key]>> | null => {
    const folder = heirs.findLast(({ rules }) => isSet(rules[key]));
    return folder ? { value: folder.rules[key] as NonNullable<FolderRules[Key]>, from: folder.path } : null;
  };
  return {
    maxBytes: nearest('maxBytes'),
    maxItems: nearest('maxItems'),
    allow: nearest('allow'),
    deny: collect(chain, (rules) => rules.deny),
    minWidth: nearest('minWidth'),
    minHeight: nearest('minHeight'),
    maxPixels: nearest('maxPixels'),
    requireTexts: collect(heirs, (rules) => rules.requireTexts),
    duplicates: nearest('duplicates'),
    check: nearest('check'),
  };
}

function isSet(value: unknown): boolean {
  return Array.isArray(value) ? value.length > 0 : value !== null;
}

function collect<Value extends string>(
  chain: readonly RuledFolder[],
  pick: (rules: FolderRules) => readonly Value[],
): Effective<Value>[] {
  const found = new Map<Value, Effective<Value>>();
  for (const { path, rules } of chain) {
    for (const value of pick(rules)) {
      if (!found.has(value)) found.set(value, { value, from: path });
    }
  }
  return [...found.values()];
}
