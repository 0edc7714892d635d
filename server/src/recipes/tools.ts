import type { LibraryTools } from '../library/tools.js';
import type { Services } from '../shared/services.js';
import type { Rendering } from './rendering.js';

/** What rendering requires. */
export interface RenderTools extends Services {
  rendering: Rendering;
}

/** What recipes require in addition to what the library requires. */
export interface RecipeTools extends LibraryTools, RenderTools {}

/** Adds what recipes require to the services of a request. */
export type ToolsFor = (services: Services) => RecipeTools;
