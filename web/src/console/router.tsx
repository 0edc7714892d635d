import { createBrowserRouter } from 'react-router';
import { AutomatePage } from '../automate/automate-page.js';
import { FlowPage } from '../flow/flow-page.js';
import { IntakePage } from '../intake/intake-page.js';
import { BinPage } from '../library/bin-page.js';
import { DuplicatesPage } from '../library/duplicates-page.js';
import { LibraryPage } from '../library/library-page.js';
import { RecipesPage } from '../recipes/recipes-page.js';
import { RunsPage } from '../runs/runs-page.js';
import { NothingHere } from './nothing-here.js';
import { Shell } from './shell.js';

export const router = createBrowserRouter([
  {
    path: '/',
    element: <Shell />,
    children: [
      { index: true, element: <FlowPage /> },
      { path: 'intake', element: <IntakePage /> },
      { path: 'library/*', element: <LibraryPage /> },
      { path: 'duplicates', element: <DuplicatesPage /> },
      { path: 'bin', element: <BinPage /> },
      { path: 'recipes', element: <RecipesPage /> },
      {
        path: 'recipes/matrix',
        lazy: async () => ({ Component: (await import('../recipes/matrix-page.js')).MatrixPage }),
      },
      {
        path: 'recipes/surplus',
        lazy: async () => ({ Component: (await import('../recipes/surplus-page.js')).SurplusPage }),
      },
      {
        path: 'recipes/originals',
        lazy: async () => ({ Component: (await import('../recipes/originals-page.js')).OriginalsPage }),
      },
      {
        path: 'recipes/new',
        lazy: async () => ({ Component: (await import('../recipes/editor-page.js')).EditorPage }),
      },
      {
        path: 'recipes/:name',
        lazy: async () => ({ Component: (await import('../recipes/editor-page.js')).EditorPage }),
      },
      { path: 'runs', element: <RunsPage /> },
      {
        path: 'runs/workers',
        lazy: async () => ({ Component: (await import('../runs/workers-page.js')).WorkersPage }),
      },
      { path: 'automate', element: <AutomatePage /> },
      { path: '*', element: <NothingHere /> },
    ],
  },
]);
