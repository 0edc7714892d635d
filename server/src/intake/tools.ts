import type { MetadataMapping } from '@uniferum/core/library';
import type { EffectiveRules, InstallationLimits } from '@uniferum/core/rules';
import type { Inspector } from '../inspection/inspector.js';
import { readMapping } from '../library/settings-queries.js';
import type { LibraryTools } from '../library/tools.js';
import { effectiveRules } from '../rules/service.js';
import type { Services } from '../shared/services.js';

/** What taking files in needs; servers and workers both have it. */
export interface IntakeTools extends LibraryTools {
  inspector: Inspector;
  /** What was looked up for the files of one batch; see {@link forBatch}. */
  known?: KnownForBatch;
}

/** Completes the services of a request. */
export type ToolsFor = (services: Services) => IntakeTools;

interface KnownForBatch {
  rules: Map<string, Promise<EffectiveRules>>;
  mapping: Promise<MetadataMapping> | null;
}

/**
 * Lets the files of one batch share what is looked up for each of them. Rules that change meanwhile hold all the same:
 * the definite judgement reads them afresh, with the folder held.
 */
export function forBatch(tools: IntakeTools): IntakeTools {
  return { ...tools, known: { rules: new Map(), mapping: null } };
}

/** The rules of a folder, looked up once for a batch. */
export function rulesFor({ db, known }: IntakeTools, folder: string): Promise<EffectiveRules> {
  const found = known?.rules.get(folder) ?? effectiveRules(db, folder);
  known?.rules.set(folder, found);
  return found;
}

/** Which fields fill which texts, looked up once for a batch. */
export function mappingFor({ db, known }: IntakeTools): Promise<MetadataMapping> {
  const found = known?.mapping ?? readMapping(db);
  if (known) known.mapping = found;
  return found;
}

/** What holds whatever a folder's rules say. */
export function limitsOf({ config }: Pick<IntakeTools, 'config'>): InstallationLimits {
  return { maxBytes: config.maxUploadBytes, maxPixels: config.maxPixels };
}
