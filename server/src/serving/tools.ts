import type { Buckets } from '../copies/buckets.js';
import type { RecipeTools } from '../recipes/tools.js';
import type { Services } from '../shared/services.js';
import type { FolderSettings } from './folder-settings.js';
import type { PublicOriginals } from './public-originals.js';

/** What serving needs in addition to what recipes need. */
export interface ServingTools extends RecipeTools {
  /** Originals as the public sees them. */
  originals: PublicOriginals;
  settings: FolderSettings;
  buckets: Buckets;
}

/** Adds what serving needs to the services of a request. */
export type ToolsFor = (services: Services) => ServingTools;
