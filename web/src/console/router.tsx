import { createBrowserRouter } from 'react-router';
import type { Composition } from './composition.js';
import { NothingHere } from './nothing-here.js';
import { Shell } from './shell.js';

/** The console's routes: the pages of all stations inside the shell. */
export function createRouter({ routes }: Composition) {
  return createBrowserRouter([
    {
      path: '/',
      element: <Shell />,
      // Shown until the first page has loaded; later ones keep the previous page in place while loading.
      hydrateFallbackElement: <div />,
      children: [...routes, { path: '*', element: <NothingHere /> }],
    },
  ]);
}
