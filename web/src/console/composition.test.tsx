import { screen } from '@testing-library/react';
import { defineFilterField } from '@uniferum/core/library';
import { lazy } from 'react';
import { describe, expect, test } from 'vitest';
import { AssetLine } from '../library/asset-line.js';
import { FilterLine } from '../library/filter-line.js';
import { STATIONS } from '../stations.js';
import { answer, pageOf } from '../testing/fake-client.js';
import { show, showRoutes } from '../testing/render.js';
import { asset, flow, folder, homeStore, store } from '../testing/samples.js';
import { composeStations } from './composition.js';
import { Shell } from './shell.js';
import type { Station } from './station.js';

/** Notes on assets: an example of a station, which uses every part. */
const notesStation: Station = {
  room: 'notes',
  place: { name: 'Notes', path: '/notes', key: 'n', order: 35 },
  routes: [{ path: 'notes', lazy: async () => ({ Component: () => <h1>All notes</h1> }) }],
  stale: { 'note.changed': ['notes'] },
  stages: [
    {
      name: 'Note',
      order: 35,
      width: 'w-32',
      Content: lazy(async () => ({ default: ({ asset: { name } }) => <p>a note on {name}</p> })),
    },
  ],
  filterFields: [
    defineFilterField({
      name: 'note',
      hint: 'words in its note',
      example: 'note:any',
      values: ['any', 'none'],
      propose: (_begun, { authors = [] }) => authors,
      read: ({ value }) => value,
    }),
  ],
  filterWords: { authors: { queryKey: ['notes', 'authors'], queryFn: async () => ['Edda Marrow'] } },
  palette: [
    { heading: 'Notes', useEntries: () => [{ text: 'The lamp is out', note: 'dusk.jpg', path: '/notes' }] },
  ],
};
const stations = [...STATIONS, notesStation];

function answerShell() {
  answer({
    flow: flow(),
    'runs.list': pageOf([]),
    'folders.list': pageOf([folder('/'), folder('/lights')]),
    'assets.facets': { kinds: [], types: [], keywords: [], credits: [], captured: [] },
    'recipes.list': pageOf([]),
    'filters.list': pageOf([]),
    'stores.list': pageOf([]),
    'assets.versions': pageOf([]),
  });
}
const { routes } = composeStations(stations);
const showConsole = (at = '/') =>
  showRoutes([{ path: '/', element: <Shell />, children: [...routes] }], { at, stations });

describe('an example station, with one line in the composition', () => {
  test('stands in the navigation in the order of the work, and its page is loaded when it is opened', async () => {
    answerShell();
    const { user } = showConsole();
    const nav = await screen.findByRole('navigation', { name: 'Stations' });
    const names = [...nav.children].map(({ textContent }) => textContent);
    expect(names.slice(0, 5)).toEqual(['Flow', 'Intake', 'Library', 'Notes', 'Recipes']);
    await user.click(screen.getByRole('link', { name: 'Notes' }));
    expect(await screen.findByRole('heading', { name: 'All notes' })).toBeVisible();
  });

  test('has a key, and entries in the palette', async () => {
    answerShell();
    const { user } = showConsole();
    await screen.findByRole('navigation', { name: 'Stations' });
    await user.keyboard('gn');
    expect(await screen.findByRole('heading', { name: 'All notes' })).toBeVisible();
    await user.keyboard('{Control>}k{/Control}');
    expect(await screen.findByText('The lamp is out')).toBeVisible();
    expect(await screen.findByText('/lights')).toBeVisible();
  });

  test("adds a stage to an asset's line, in its place", async () => {
    answerShell();
    answer({ 'assets.get': asset('7', { name: 'dusk.jpg' }) });
    show(<AssetLine id="7" onClose={() => {}} />, { stations });
    expect(await screen.findByText('a note on dusk.jpg')).toBeVisible();
    const stages = screen.getAllByRole('heading', { level: 3 }).map(({ textContent }) => textContent);
    expect(stages).toEqual([
      'Source',
      'Verdict',
      'Texts',
      'Note',
      'Versions',
      'Renditions',
      'Copies',
      'Uses',
    ]);
  });

  test('adds a field to the filter line', async () => {
    answerShell();
    const { user } = show(<FilterLine q="" error={null} onSearch={() => {}} />, { stations });
    await user.type(screen.getByRole('combobox', { name: 'Filter' }), 'no');
    expect(await screen.findByRole('option', { name: /note:/ })).toBeVisible();
  });

  test('lists the words that its field proposes', async () => {
    answerShell();
    const { user } = show(<FilterLine q="" error={null} onSearch={() => {}} />, { stations });
    const line = screen.getByRole('combobox', { name: 'Filter' });
    await user.type(line, 'note:mar');
    await user.click(await screen.findByRole('option', { name: /Edda Marrow/ }));
    expect(line).toHaveValue('note:"Edda Marrow" ');
  });

  test('completes the names of stores', async () => {
    answerShell();
    answer({ 'stores.list': pageOf([homeStore, { ...store('1'), name: 'offsite' }]) });
    const { user } = show(<FilterLine q="" error={null} onSearch={() => {}} />, { stations });
    await user.type(screen.getByRole('combobox', { name: 'Filter' }), 'copy:off');
    expect(await screen.findByRole('option', { name: /offsite/ })).toBeVisible();
  });
});

describe('the console refuses', () => {
  test.each<[string, Partial<Station>]>([
    ['room', { room: 'library' }],
    ['path', { place: { name: 'Other', path: '/library', key: 'z', order: 1 } }],
    ['key', { place: { name: 'Other', path: '/other', key: 'l', order: 1 } }],
    ['stage', { stages: [{ name: 'Renditions', order: 1, width: '', Content: () => null }] }],
    ['field', { filterFields: STATIONS.flatMap(({ filterFields = [] }) => filterFields) }],
    ['words', { filterWords: Object.assign({}, ...STATIONS.map(({ filterWords }) => filterWords)) }],
    ['live event', { live: { 'run.progress': () => [] } }],
  ])('two stations with the same %s', (what, more) => {
    expect(() => composeStations([...STATIONS, { room: 'other', ...more }])).toThrow(
      `Two stations have the ${what}`,
    );
  });
});

test('without a session the console is a sign-in, and what went wrong there is said', async () => {
  answerShell();
  const { UniferumApiError } = await import('@uniferum/client');
  const { problem } = await import('../testing/fake-client.js');
  const { user } = showConsole();
  answer({
    'session.me': problem(401, 'Sign in.'),
    'session.signIn': problem(401, 'Check both and try again.'),
  });
  expect(problem(401, '')).toBeInstanceOf(UniferumApiError);
  await user.type(await screen.findByLabelText('Email'), 'keeper@skerry.example');
  await user.type(screen.getByLabelText('Password'), 'wrong');
  await user.click(screen.getByRole('button', { name: 'Sign in' }));
  expect(await screen.findByRole('alert')).toHaveTextContent('Check both and try again.');
});
