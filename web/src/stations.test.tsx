import { screen } from '@testing-library/react';
import type { ComponentType } from 'react';
import { describe, expect, test, vi } from 'vitest';
import { AutomatePage } from './automate/automate-page.js';
import { ConnectionsPage } from './connections/connections-page.js';
import { StoresPage } from './copies/stores-page.js';
import { FlowPage } from './flow/flow-page.js';
import { IntakePage } from './intake/intake-page.js';
import { BinPage } from './library/bin-page.js';
import { DuplicatesPage } from './library/duplicates-page.js';
import { LibraryPage } from './library/library-page.js';
import { BrokenPage } from './pages/broken-page.js';
import { PageTypesPage } from './pages/page-types-page.js';
import { PagesPage } from './pages/pages-page.js';
import { SourcesPage } from './pages/sources-page.js';
import { MatrixPage } from './recipes/matrix-page.js';
import { OriginalsPage } from './recipes/originals-page.js';
import { RecipesPage } from './recipes/recipes-page.js';
import { SurplusPage } from './recipes/surplus-page.js';
import { RunsPage } from './runs/runs-page.js';
import { WorkersPage } from './runs/workers-page.js';
import { answer, calledNames, forgetAnswers, pageOf, problem } from './testing/fake-client.js';
import { show } from './testing/render.js';
import {
  apiKey,
  asset,
  connection,
  flow,
  folder,
  homeStore,
  pageSource,
  recipe,
  reference,
  run,
  store,
} from './testing/samples.js';

interface Case {
  Page: ComponentType;
  /** The call that it shows. */
  call: string;
  empty: unknown;
  /** What it says when there is nothing. */
  saysEmpty: string | RegExp;
  full: unknown;
  saysFull: string | RegExp;
  path?: string;
  /** Calls whose answers only add to what is shown: completion, and counts beside the names of views. */
  quiet?: string[];
}

/** What the shell says. */
const ELSEWHERE = new Set(['session.me']);

const facets = { kinds: [], types: [], keywords: [], credits: [], captured: [] };
const amount = { items: 12, bytes: 1_200_000 };

const CASES: Record<string, Case> = {
  flow: {
    Page: FlowPage,
    call: 'flow',
    empty: flow(),
    saysEmpty: 'No files yet',
    full: flow({ library: amount, verdicts: { accepted: 12, warned: 0, refused: 0 } }),
    saysFull: /12 assets, 1\.2 MB/,
  },
  library: {
    Page: LibraryPage,
    call: 'assets.list',
    empty: pageOf([]),
    saysEmpty: /holds nothing|is empty|Nothing/i,
    full: pageOf([asset('7', { name: 'dusk.jpg' })]),
    saysFull: 'dusk.jpg',
    path: 'library/*',
    quiet: ['assets.facets', 'recipes.list'],
  },
  bin: {
    Page: BinPage,
    call: 'bin.list',
    empty: pageOf([], { bytes: 0 }),
    saysEmpty: 'The bin is empty',
    full: pageOf([{ ...asset('7', { name: 'old.jpg' }), deletedAt: '2026-05-20T12:00:00.000Z' }], {
      bytes: 1,
    }),
    saysFull: 'old.jpg',
  },
  duplicates: {
    Page: DuplicatesPage,
    call: 'assets.duplicates',
    empty: { groups: [] },
    saysEmpty: 'No duplicates',
    full: { groups: [[asset('1', { name: 'one.jpg' }), asset('2', { name: 'same.jpg' })]] },
    saysFull: 'same.jpg',
  },
  recipes: {
    Page: RecipesPage,
    call: 'recipes.list',
    empty: pageOf([]),
    saysEmpty: 'No recipe yet',
    full: pageOf([recipe('wide')]),
    saysFull: 'The wide one',
    quiet: ['renditions.surplus'],
  },
  matrix: {
    Page: MatrixPage,
    call: 'recipes.matrix',
    empty: { recipes: [], ...pageOf([]) },
    saysEmpty: 'No files yet',
    full: {
      recipes: ['wide'],
      ...pageOf([
        {
          asset: {
            id: '1',
            name: 'dusk.jpg',
            folder: '/lights',
            kind: 'image',
            placeholder: null,
            preview: null,
          },
          cells: { wide: { state: 'fresh', files: 1, bytes: 1000 } },
        },
      ]),
    },
    saysFull: 'dusk.jpg',
    quiet: ['renditions.surplus'],
  },
  surplus: {
    Page: SurplusPage,
    call: 'renditions.surplus',
    empty: pageOf([], { bytes: 0 }),
    saysEmpty: /No surplus|Nothing|No rendition/i,
    full: pageOf(
      [
        {
          asset: { id: '1', name: 'dusk.jpg', folder: '/lights' },
          recipe: 'wide',
          variant: null,
          url: 'http://skerry.example/media/lights/dusk~wide.webp',
          mime: 'image/webp',
          width: 1,
          height: 1,
          bytes: 1000,
          why: 'recipe-removed',
          requests: 0,
          lastRequestAt: null,
          uses: 0,
          leadsTo: 'http://skerry.example/media/lights/dusk.jpg',
        },
      ],
      { bytes: 1000 },
    ),
    saysFull: 'dusk.jpg',
    quiet: ['recipes.list'],
  },
  pages: {
    Page: PagesPage,
    call: 'pages.list',
    empty: pageOf([]),
    saysEmpty: 'No pages yet',
    full: pageOf([
      {
        ...{ id: '1', type: 'page', title: 'Gannet Head', slug: 'gannet-head', path: '/gannet-head' },
        ...{ parent: null, inNavigation: true, position: 0, state: 'published', hasChanges: true },
        ...{ broken: 2, revision: 3, publishedAt: null, updatedBy: 'Edda' },
        updatedAt: '2026-05-20T12:00:00.000Z',
      },
    ]),
    saysFull: 'Gannet Head',
    // Only counts beside the names of views.
    quiet: ['sources.list'],
  },
  sources: {
    Page: SourcesPage,
    call: 'sources.list',
    empty: pageOf([]),
    saysEmpty: 'No page sources yet',
    full: pageOf([pageSource('1', { name: 'Keeper’s guide' })]),
    saysFull: 'Keeper’s guide',
  },
  connections: {
    Page: ConnectionsPage,
    call: 'connections.list',
    empty: pageOf([]),
    saysEmpty: 'No connections yet',
    full: pageOf([connection('1', { name: 'Media bucket' })]),
    saysFull: 'Media bucket',
  },
  stores: {
    Page: StoresPage,
    call: 'stores.list',
    empty: pageOf([homeStore]),
    saysEmpty: 'No other store yet',
    full: pageOf([homeStore, store('1', { name: 'offsite', damaged: 3 })]),
    saysFull: 'offsite',
    // Only a count beside the name of a view.
    quiet: ['connections.list'],
  },
  'page types': {
    Page: PageTypesPage,
    call: 'pageTypes.list',
    empty: pageOf([]),
    saysEmpty: 'No page types yet',
    full: pageOf([{ name: 'light', title: 'Lighthouse', slots: [], regions: ['main'] }]),
    saysFull: 'Lighthouse',
    // Only counts beside the names of views.
    quiet: ['sources.list'],
  },
  'broken references': {
    Page: BrokenPage,
    call: 'references.list',
    empty: pageOf([]),
    saysEmpty: 'No broken references',
    full: pageOf([reference('1', { address: '/media/missing.jpg' })]),
    saysFull: '/media/missing.jpg',
    // An address, which is only asked for when somebody follows it.
    quiet: ['references.reportUrl'],
  },
  runs: {
    Page: RunsPage,
    call: 'runs.list',
    empty: pageOf([]),
    saysEmpty: 'No run yet',
    full: pageOf([run('4', { title: 'Renditions of what arrived' })]),
    saysFull: 'Renditions of what arrived',
  },
  automate: {
    Page: AutomatePage,
    call: 'keys.list',
    empty: pageOf([]),
    saysEmpty: 'No key yet',
    full: pageOf([apiKey('3', { name: 'Nightly import' })]),
    saysFull: 'Nightly import',
  },
};

/** What the pages ask beside what they show. */
function answerTheRest() {
  answer({
    'folders.list': pageOf([folder('/'), folder('/lights')]),
    'assets.facets': facets,
    'filters.list': pageOf([]),
    'recipes.list': pageOf([recipe('wide')]),
    'runs.list': pageOf([]),
    'sources.list': pageOf([pageSource('1')]),
    'connections.list': pageOf([connection('1')]),
    'runs.items': pageOf([]),
    'intakes.list': pageOf([]),
    'folders.rules': problem(404, 'none'),
  });
}

describe.each(Object.entries(CASES))(
  'the station %s',
  (_name, { Page, call, empty, saysEmpty, full, saysFull, path = '*', quiet = [] }) => {
    const at = path === '*' ? '/' : '/library';

    test('says nothing is there only once it knows', async () => {
      answerTheRest();
      answer({ [call]: () => new Promise(() => {}) });
      show(<Page />, { at, path });
      // Whatever else there is to ask has been answered by then.
      await screen.findByRole('heading', { level: 1 }).catch(() => null);
      expect(screen.queryAllByText(saysEmpty)).toEqual([]);
      expect(screen.queryByRole('alert')).toBeNull();
    });

    test('says that nothing is there, and what to do', async () => {
      answerTheRest();
      answer({ [call]: empty });
      show(<Page />, { at, path });
      expect((await screen.findAllByText(saysEmpty))[0]).toBeVisible();
    });

    test('shows what there is', async () => {
      answerTheRest();
      answer({ [call]: full });
      show(<Page />, { at, path });
      expect((await screen.findAllByText(saysFull))[0]).toBeVisible();
      expect(screen.queryAllByText(saysEmpty)).toEqual([]);
    });

    test('says what went wrong, and not that there is nothing', async () => {
      answerTheRest();
      answer({ [call]: problem(503, 'The database is away. Try again in a moment.') });
      show(<Page />, { at, path });
      expect(await screen.findByRole('alert')).toHaveTextContent(
        'The database is away. Try again in a moment.',
      );
      expect(screen.queryAllByText(saysEmpty)).toEqual([]);
    });

    test('says of whatever else it asks for what went wrong', async () => {
      const begin = () => {
        forgetAnswers();
        answerTheRest();
        answer({ [call]: full });
      };
      begin();
      const { unmount } = show(<Page />, { at, path });
      await screen.findAllByText(saysFull);
      unmount();
      const silent: string[] = [];
      for (const name of calledNames()) {
        if (ELSEWHERE.has(name) || quiet.includes(name)) continue;
        begin();
        answer({ [name]: problem(503, `${name} can't be read.`) });
        const shown = show(<Page />, { at, path });
        const alert = await screen
          .findByText(`${name} can't be read.`, {}, { timeout: 2000 })
          .catch(() => null);
        if (alert === null) silent.push(name);
        shown.unmount();
      }
      expect(silent).toEqual([]);
    });
  },
);

test('intake shows the rules of the folder that its address names', async () => {
  answerTheRest();
  const asked: string[] = [];
  answer({
    'folders.rules': (id: string) => {
      asked.push(id);
      return problem(404, 'none');
    },
  });
  show(<IntakePage />, { at: '/intake?folder=%2Flights' });
  expect(await screen.findByText('Upload')).toBeVisible();
  await vi.waitFor(() => expect(asked).toContain(folder('/lights').id));
});

test("the workers' view and the originals say what went wrong", async () => {
  answerTheRest();
  answer({ 'workers.get': problem(503, 'No worker can be asked.'), 'runs.failures': pageOf([]) });
  const { unmount } = show(<WorkersPage />);
  expect((await screen.findAllByRole('alert'))[0]).toHaveTextContent('No worker can be asked.');
  unmount();
  answer({
    'renditions.rehearseOptimise': problem(503, "The list can't be had."),
    'renditions.optimised': { files: 0, before: 0, after: 0 },
  });
  show(<OriginalsPage />);
  expect((await screen.findAllByRole('alert'))[0]).toHaveTextContent("The list can't be had.");
});
