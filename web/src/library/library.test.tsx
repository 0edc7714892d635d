import { screen, waitFor, within } from '@testing-library/react';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
import { beforeEach, describe, expect, test } from 'vitest';
import { answer, callsOf, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { asset, folder } from '../testing/samples.js';
import { ContactSheet } from './contact-sheet.js';
import { DragArea } from './dragging.js';
import { FilterLine } from './filter-line.js';
import { LibraryPage } from './library-page.js';
import { useSelection } from './selection.js';
import { useLibraryView } from './use-library-view.js';

beforeEach(() => {
  useSelection.getState().clear();
  answer({
    'folders.list': pageOf([folder('/'), folder('/lights')]),
    'assets.facets': {
      kinds: [{ name: 'image', items: 3 }],
      types: [{ name: 'image/jpeg', items: 3 }],
      keywords: [{ name: 'storm', items: 2 }],
      credits: [],
      captured: [],
    },
    'recipes.list': pageOf([]),
    'filters.list': pageOf([]),
  });
});

describe('what the library shows is in its address', () => {
  function View() {
    const { view, show: change } = useLibraryView();
    return (
      <>
        <output data-testid="view">{JSON.stringify(view)}</output>
        <button type="button" onClick={() => change({ q: 'alt:none' })}>
          search
        </button>
        <button type="button" onClick={() => change({ asset: '7' })}>
          open
        </button>
        <button type="button" onClick={() => change({ folder: '/night watch' })}>
          folder
        </button>
        <button
          type="button"
          onClick={() => change({ layout: 'table', sort: '-size', deep: false, hasFacets: true })}
        >
          settings
        </button>
      </>
    );
  }
  const view = () => JSON.parse(screen.getByTestId('view').textContent ?? '{}');
  const address = () => screen.getByTestId('address').textContent;

  test('all of it is read', () => {
    show(<View />, {
      at: '/library/night%20watch/?q=fog&counts=yes&as=table&sort=name&deep=no&asset=9',
      path: 'library/*',
    });
    expect(view()).toEqual({
      q: 'fog',
      hasFacets: true,
      folder: '/night watch',
      layout: 'table',
      sort: 'name',
      deep: false,
      asset: '9',
    });
  });

  test('nothing there, or nonsense, is the plain view', () => {
    show(<View />, { at: '/library?sort=colour&as=cloud&deep=perhaps', path: 'library/*' });
    expect(view()).toEqual({
      q: '',
      hasFacets: false,
      folder: '/',
      layout: 'sheet',
      sort: '-created',
      deep: true,
      asset: null,
    });
  });

  test('a change is written, and what is as always stays out of it', async () => {
    const { user } = show(<View />, { at: '/library/lights', path: 'library/*' });
    await user.click(screen.getByText('settings'));
    expect(address()).toBe('/library/lights?counts=yes&as=table&sort=-size&deep=no');
    await user.click(screen.getByText('open'));
    expect(address()).toContain('asset=7');
    await user.click(screen.getByText('search'));
    expect(address()).toContain('q=alt%3Anone');
  });

  test('another folder closes the line of an asset', async () => {
    const { user } = show(<View />, { at: '/library/lights?asset=7&q=fog', path: 'library/*' });
    await user.click(screen.getByText('folder'));
    expect(address()).toBe('/library/night%20watch?q=fog');
  });
});

describe('the contact sheet', () => {
  function Sheet({ assets }: { assets: readonly Asset[] }) {
    const [chosen, choose] = useState<string | null>('1');
    return (
      <DragArea>
        <output data-testid="chosen">{chosen}</output>
        <ContactSheet
          assets={assets}
          chosen={chosen}
          onChoose={choose}
          onMove={choose}
          onNearEnd={() => {}}
        />
      </DragArea>
    );
  }
  const pictures = Array.from({ length: 20 }, (_, n) => asset(String(n + 1), { width: 1000, height: 1000 }));
  const chosen = () => screen.getByTestId('chosen').textContent;

  test('is gone through by arrows: beside it, and in the row below the one in the same place', async () => {
    const { user } = show(<Sheet assets={pictures} />);
    (await screen.findAllByRole('button', { name: /picture-1\.jpg/ }))[0]?.focus();
    await user.keyboard('{ArrowRight}{ArrowRight}');
    expect(chosen()).toBe('3');
    await user.keyboard('{ArrowLeft}');
    expect(chosen()).toBe('2');
    await user.keyboard('{ArrowDown}');
    const below = Number(chosen());
    expect(below).toBeGreaterThan(4);
    await user.keyboard('{ArrowUp}');
    expect(chosen()).toBe('2');
  });

  test('moves the focus with the arrows, over rows that were not rendered yet', async () => {
    const many = Array.from({ length: 400 }, (_, n) => asset(String(n + 1), { width: 1000, height: 1000 }));
    const { user } = show(<Sheet assets={many} />);
    (await screen.findAllByRole('button', { name: /picture-1\.jpg/ }))[0]?.focus();
    const focused = () => Number(/picture-(\d+)\.jpg/.exec(document.activeElement?.textContent ?? '')?.[1]);
    await user.keyboard('{ArrowRight}');
    expect(focused()).toBe(2);
    let before = 2;
    for (let row = 0; row < 8; row += 1) {
      await user.keyboard('{ArrowDown}');
      await waitFor(() => expect(focused()).toBeGreaterThan(before));
      before = focused();
    }
    expect(before).toBeGreaterThan(30);
  });

  test('is one tab stop', async () => {
    show(<Sheet assets={pictures} />);
    const buttons = await screen.findAllByRole('button', { name: /picture-/ });
    expect(buttons.filter(({ tabIndex }) => tabIndex === 0)).toHaveLength(1);
  });

  test('ends at its ends', async () => {
    const { user } = show(<Sheet assets={pictures} />);
    (await screen.findAllByRole('button', { name: /picture-1\.jpg/ }))[0]?.focus();
    await user.keyboard('{ArrowLeft}{ArrowUp}');
    expect(chosen()).toBe('1');
  });
});

describe('the filter line', () => {
  function Line({ error = null }: { error?: unknown }) {
    const [q, search] = useState('');
    return (
      <>
        <FilterLine q={q} error={error} onSearch={search} />
        <output data-testid="asked">{q}</output>
      </>
    );
  }
  const box = () => screen.getByRole('combobox', { name: 'Filter' });

  test('proposes fields and what the library holds, taken by keyboard', async () => {
    const { user } = show(<Line />);
    await user.type(box(), 'keyw');
    await screen.findByRole('option', { name: /keyword:/ });
    await user.keyboard('{ArrowDown}{Tab}');
    expect(box()).toHaveValue('keyword:');
    await user.keyboard('st');
    await screen.findByRole('option', { name: /storm/ });
    await user.keyboard('{ArrowDown}{Enter}');
    expect(box()).toHaveValue('keyword:storm ');
    await user.keyboard('{Enter}');
    expect(screen.getByTestId('asked')).toHaveTextContent('keyword:storm');
  });

  test('Escape closes the proposals first; the cross clears it', async () => {
    const { user } = show(<Line />);
    await user.type(box(), 'ki');
    await screen.findByRole('option', { name: /kind:/ });
    await user.keyboard('{Escape}');
    expect(screen.queryByRole('listbox')).toBeNull();
    expect(box()).toHaveFocus();
    await user.click(screen.getByRole('button', { name: 'Clear filter' }));
    expect(box()).toHaveValue('');
  });

  test('says what is wrong, and takes the suggestion at a press', async () => {
    const fault = problem(400, "The filter can't be read.", {
      errors: [
        { field: 'q', code: 'filter', message: 'kind is one of image, document', suggestion: 'kind:image' },
      ],
    });
    const { user } = show(<Line error={fault} />);
    expect(await screen.findByText(/kind is one of image/)).toBeVisible();
    await user.click(screen.getByRole('button', { name: /kind:image/ }));
    expect(screen.getByTestId('asked')).toHaveTextContent('kind:image');
  });
});

describe('the library', () => {
  const open = (at = '/library/lights') => show(<LibraryPage />, { at, path: 'library/*' });

  test('asks for what its address says', async () => {
    answer({ 'assets.list': pageOf([asset('7')]) });
    open('/library/lights?q=fog&sort=name&deep=no');
    await screen.findByText('picture-7.jpg');
    expect(callsOf('assets.list')[0]?.[0]).toMatchObject({
      q: 'fog',
      folder: '/lights',
      deep: false,
      sort: 'name',
    });
  });

  test('loads the next page near the end, and only once', async () => {
    const first = Array.from({ length: 12 }, (_, n) => asset(String(n + 1)));
    answer({
      'assets.list': ({ cursor }: { cursor?: string }) =>
        cursor ? pageOf([asset('99')], { total: 13 }) : pageOf(first, { total: 13, next: 'more' }),
    });
    open();
    await waitFor(() => expect(callsOf('assets.list')).toHaveLength(2));
    expect(callsOf('assets.list')[1]?.[0]).toMatchObject({ cursor: 'more' });
    expect(await screen.findByText(/^13 of 13|13 assets|picture-99/)).toBeVisible();
  });

  test('chooses by keyboard, all that is loaded, and a new search begins without a choice', async () => {
    answer({ 'assets.list': pageOf([asset('1'), asset('2')]) });
    const { user } = open('/library/lights?asset=1');
    await screen.findAllByText('picture-2.jpg');
    await user.keyboard('x');
    expect([...useSelection.getState().ids]).toEqual(['1']);
    await user.keyboard('a');
    expect(await screen.findByText(/2 .*(chosen|selected)/i)).toBeVisible();
    await user.type(screen.getByRole('combobox', { name: 'Filter' }), 'fog{Enter}');
    await waitFor(() => expect(useSelection.getState().ids.size).toBe(0));
  });

  test('opens the line of an asset and closes it with Escape', async () => {
    answer({
      'assets.list': pageOf([asset('1')]),
      'assets.get': asset('1', { title: 'Gannet Head' }),
      'assets.versions': pageOf([]),
    });
    const { user } = open();
    await user.click(await screen.findByRole('button', { name: /picture-1\.jpg/ }));
    const line = await screen.findByRole('region', { name: /line of picture-1.jpg/ });
    expect(within(line).getByText('Gannet Head')).toBeVisible();
    await user.keyboard('{Escape}');
    expect(screen.queryByRole('region', { name: /line of/ })).toBeNull();
  });
});
