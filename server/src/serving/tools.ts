import type { RecipeTools } from '../recipes/tools.js';
import type { Services } from '../shared/services.js';
import type { PublicOriginals } from './public-originals.js';

/** What serving addresses needs beside what recipes need. */
export interface ServingTools extends RecipeTools {
  /** Originals as strangers may see them. */
  originals: PublicOriginals;
}

/** Completes the services of a request. */
export type ToolsFor = (services: Services) => ServingTools;
