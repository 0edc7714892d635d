import { createBrowserRouter } from 'react-router';
import { AutomatePage } from '../automate/automate-page.js';
import { FlowPage } from '../flow/flow-page.js';
import { IntakePage } from '../intake/intake-page.js';
import { BinPage } from '../library/bin-page.js';
import { DuplicatesPage } from '../library/duplicates-page.js';
import { LibraryPage } from '../library/library-page.js';
import { EditorPage } from '../recipes/editor-page.js';
import { MatrixPage } from '../recipes/matrix-page.js';
import { OriginalsPage } from '../recipes/originals-page.js';
import { RecipesPage } from '../recipes/recipes-page.js';
import { SurplusPage } from '../recipes/surplus-page.js';
import { RunsPage } from '../runs/runs-page.js';
import { WorkersPage } from '../runs/workers-page.js';
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
      { path: 'recipes/matrix', element: <MatrixPage /> },
      { path: 'recipes/surplus', element: <SurplusPage /> },
      { path: 'recipes/originals', element: <OriginalsPage /> },
      { path: 'recipes/new', element: <EditorPage /> },
      { path: 'recipes/:name', element: <EditorPage /> },
      { path: 'runs', element: <RunsPage /> },
      { path: 'runs/workers', element: <WorkersPage /> },
      { path: 'automate', element: <AutomatePage /> },
      { path: '*', element: <NothingHere /> },
    ],
  },
]);
