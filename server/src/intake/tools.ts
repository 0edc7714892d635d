import type { MetadataMapping } from '@uniferum/core/library';
import type { EffectiveRules, InstallationLimits, TokenLimits } from '@uniferum/core/rules';
import type { Inspector } from '../inspection/inspector.js';
import { readMapping } from '../library/settings-queries.js';
import type { LibraryTools } from '../library/tools.js';
import { effectiveRules } from '../rules/service.js';
import type { Principal } from '../shared/principal.js';
import type { Services } from '../shared/services.js';

/** What imports require, in servers and workers. */
export interface IntakeTools extends LibraryTools {
  inspector: Inspector;
  /** The token with which files are uploaded: its limits apply besides the rules of the folder. */
  token?: UploadToken;
  /** Lookups shared by the files of one batch; see {@link forBatch}. */
  known?: KnownForBatch;
}

/** A token, and how it limits uploads. */
export interface UploadToken extends TokenLimits {
  id: string;
}

/** The token of a caller; null for a key or a user. */
export function tokenOf({ id, scope }: Principal): UploadToken | null {
  return scope ? { id, maxBytes: scope.maxBytes, maxItems: scope.maxItems, allow: scope.allow } : null;
}

/** Adds what imports need to the services of a request. */
export type ToolsFor = (services: Services) => IntakeTools;

interface KnownForBatch {
  rules: Map<string, Promise<EffectiveRules>>;
  mapping: Promise<MetadataMapping> | null;
}

/**
 * Shares lookups between the files of one batch. Concurrent rule changes still apply: the final verdict reads the
 * rules again while the folder is locked.
 */
export function forBatch(tools: IntakeTools): IntakeTools {
  return { ...tools, known: { rules: new Map(), mapping: null } };
}

/** The rules of a folder, looked up once per batch. */
export function rulesFor({ db, known }: IntakeTools, folder: string): Promise<EffectiveRules> {
  const found = known?.rules.get(folder) ?? effectiveRules(db, folder);
  known?.rules.set(folder, found);
  return found;
}

/** The metadata mapping, looked up once per batch. */
export function mappingFor({ db, known }: IntakeTools): Promise<MetadataMapping> {
  const found = known?.mapping ?? readMapping(db);
  if (known) known.mapping = found;
  return found;
}

/** The number of bytes after which an upload into a folder with these rules is cut off. */
export function cutOffBytes({ config, token }: IntakeTools, rules: EffectiveRules | null): number {
  const limits = [rules?.maxBytes?.value, token?.maxBytes];
  return Math.min(config.maxUploadBytes, ...limits.map((limit) => limit ?? Number.POSITIVE_INFINITY));
}

/** Limits that apply regardless of any folder's rules. */
export function limitsOf({ config }: Pick<IntakeTools, 'config'>): InstallationLimits {
  return { maxBytes: config.maxUploadBytes, maxPixels: config.maxPixels };
}
