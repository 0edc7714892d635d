import { createBrowserRouter } from 'react-router';
import type { Composition } from './composition.js';
import { NothingHere } from './nothing-here.js';
import { Shell } from './shell.js';

/** The console's addresses: the pages of all stations below the shell. */
export function createRouter({ routes }: Composition) {
  return createBrowserRouter([
    {
      path: '/',
      element: <Shell />,
      // Until the first page has been loaded; the next ones leave the one before them in place.
      hydrateFallbackElement: <div />,
      children: [...routes, { path: '*', element: <NothingHere /> }],
    },
  ]);
}
