import type { LibraryTools } from '../library/tools.js';
import type { Services } from '../shared/services.js';
import type { Rendering } from './rendering.js';

/** What making renditions needs. */
export interface RenderTools extends Services {
  rendering: Rendering;
}

/** What the work of recipes needs beside what the library needs. */
export interface RecipeTools extends LibraryTools, RenderTools {}

/** Completes the services of a request. */
export type ToolsFor = (services: Services) => RecipeTools;
