import { act, screen, waitFor } from '@testing-library/react';
import { beforeEach, expect, test } from 'vitest';
import { answer, callsOf, forgetAnswers, pageOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { recipe } from '../testing/samples.js';
import { EditorPage } from './editor-page.js';

const wide = recipe('wide', { title: 'Wide', revision: 1 });
const saved = { ...wide, title: 'Very wide', revision: 2 };

beforeEach(() => {
  forgetAnswers();
  answer({
    'recipes.getTagged': { value: wide, etag: '"1"' },
    'recipes.get': wide,
    'assets.list': pageOf([]),
  });
});

async function open() {
  const shown = show(<EditorPage />, { at: '/recipes/wide', path: '/recipes/:name' });
  const title = await screen.findByLabelText<HTMLInputElement>('Title');
  return { ...shown, title };
}

/** A colleague saves, and the live stream tells of it. */
async function colleagueSaves({ queries }: Awaited<ReturnType<typeof open>>) {
  answer({ 'recipes.get': saved, 'recipes.getTagged': { value: saved, etag: '"2"' } });
  await act(() => queries.invalidateQueries({ queryKey: ['recipes'] }));
  return screen.findByText(/Somebody else saved this recipe/);
}

test('saves against the state that was opened', async () => {
  answer({ 'recipes.put': wide });
  const { user, title, address } = await open();
  await user.type(title, 'r');
  await user.click(screen.getByRole('button', { name: 'Save recipe' }));
  await waitFor(() => expect(address().pathname).toBe('/recipes'));
  expect(callsOf('recipes.put')).toEqual([
    ['wide', expect.objectContaining({ title: 'Wider' }), expect.objectContaining({ ifMatch: '"1"' })],
  ]);
});

test("a draft survives a colleague's save, which is announced", async () => {
  const shown = await open();
  await shown.user.type(shown.title, 'r');
  await colleagueSaves(shown);
  expect(screen.getByLabelText<HTMLInputElement>('Title').value).toBe('Wider');
});

test("the draft replaces the colleague's recipe only when asked to", async () => {
  answer({
    'recipes.put': (_name: string, _recipe: object, { ifMatch }: { ifMatch: string }) =>
      ifMatch === '"1"' ? problem(412, 'Changed meanwhile.') : saved,
  });
  const shown = await open();
  const { user, address } = shown;
  await user.type(shown.title, 'r');
  await colleagueSaves(shown);
  await user.click(screen.getByRole('button', { name: 'Save recipe' }));
  expect(address().pathname).toBe('/recipes/wide');
  await user.click(screen.getByRole('button', { name: 'Keep my draft' }));
  await waitFor(() => expect(screen.queryByText(/Somebody else saved/)).toBeNull());
  await user.click(screen.getByRole('button', { name: 'Save recipe' }));
  await waitFor(() => expect(address().pathname).toBe('/recipes'));
  expect(callsOf('recipes.put').at(-1)?.[2]).toMatchObject({ ifMatch: '"2"' });
});

test('the saved recipe can be loaded instead', async () => {
  const shown = await open();
  await shown.user.type(shown.title, 'r');
  await colleagueSaves(shown);
  await shown.user.click(screen.getByRole('button', { name: 'Load the saved recipe' }));
  await waitFor(() => expect(screen.getByLabelText<HTMLInputElement>('Title').value).toBe('Very wide'));
});
