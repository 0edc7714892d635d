import { expect, test } from 'vitest';
import { draftFaults, editDraft, faultsOfStep, NEW_RECIPE, toDraft, toRecipe } from './draft.js';

const draft = () => toDraft({ ...NEW_RECIPE, name: 'card', title: 'Card' });
const ops = (one: ReturnType<typeof draft>) => one.steps.map(({ step }) => step.op);

test('what was opened comes out again', () => {
  expect(toRecipe(draft())).toEqual({ ...NEW_RECIPE, name: 'card', title: 'Card' });
});

test('a step is added at the end and opened; one that gets the picture is the first, and only once', () => {
  let edited = editDraft(draft(), { do: 'add', op: 'sepia' });
  expect([ops(edited), edited.open]).toEqual([['fit', 'sepia'], edited.steps[1]?.id]);
  edited = editDraft(editDraft(edited, { do: 'add', op: 'page' }), { do: 'add', op: 'moment' });
  expect(ops(edited)).toEqual(['moment', 'fit', 'sepia']);
});

test('steps are moved and removed; the next one is open then', () => {
  let edited = editDraft(editDraft(draft(), { do: 'add', op: 'sepia' }), { do: 'add', op: 'border' });
  const [fit, sepia] = edited.steps;
  edited = editDraft(edited, { do: 'move', id: fit?.id ?? '', to: 2 });
  expect(ops(edited)).toEqual(['sepia', 'border', 'fit']);
  edited = editDraft(edited, { do: 'remove', id: sepia?.id ?? '' });
  expect([ops(edited), edited.open]).toEqual([['border', 'fit'], edited.steps[0]?.id]);
});

test('a setting that is emptied is gone, and what is wrong is said at the step', () => {
  let edited = draft();
  const id = edited.steps[0]?.id ?? '';
  edited = editDraft(edited, { do: 'change', id, name: 'height', value: undefined });
  expect(toRecipe(edited).steps[0]).toEqual({ op: 'fit', mode: 'inside', width: 1000 });
  edited = editDraft(edited, { do: 'change', id, name: 'width', value: 'wide' });
  expect(faultsOfStep(draftFaults(edited), 0)).toEqual({
    width: 'Width is a whole number from 1 to 16384 px.',
  });
});

test('a name and a title are needed', () => {
  expect(draftFaults(toDraft(NEW_RECIPE)).map(({ field }) => field)).toEqual(['title', 'name']);
});
