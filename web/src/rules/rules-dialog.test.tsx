import { screen, waitFor } from '@testing-library/react';
import { type FolderRules, NO_RULES } from '@uniferum/core/rules';
import { describe, expect, test, vi } from 'vitest';
import { answer, callsOf, problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { folder } from '../testing/samples.js';
import { RulesDialog } from './rules-dialog.js';

const NOTHING_HOLDS = {
  maxBytes: null,
  maxItems: null,
  allow: null,
  deny: [],
  minWidth: null,
  minHeight: null,
  maxPixels: null,
  requireTexts: [],
  duplicates: null,
  check: null,
};

async function open(own: FolderRules, rights?: readonly string[]) {
  const rules = { own, effective: NOTHING_HOLDS };
  answer({ 'folders.rules': rules, 'folders.rulesTagged': { value: rules, etag: '"1"' } });
  const onOpenChange = vi.fn();
  const shown = show(
    <RulesDialog folder={folder('/lights')} isOpen onOpenChange={onOpenChange} />,
    rights && { rights },
  );
  await screen.findByRole('dialog', { name: 'Rules of /lights' });
  return { ...shown, onOpenChange };
}

const ALL: FolderRules = {
  maxBytes: 2_500_000,
  maxItems: 40,
  allow: ['jpg', 'image/png'],
  deny: ['exe'],
  minWidth: 800,
  minHeight: 600,
  requireTexts: ['alt', 'credit'],
  maxPixels: 50_000_000,
  duplicates: 'reuse',
  check: { url: 'https://skerry.example/check', timeoutMs: 2500, onFailure: 'accept' },
  inherit: false,
};

describe("the form of a folder's rules", () => {
  test.each<[string, FolderRules]>([
    ['no rules', NO_RULES],
    ['every rule', ALL],
    ['rules that pull apart', { ...NO_RULES, maxBytes: 1, duplicates: 'warn', inherit: true }],
  ])('gives %s back as they came', async (_what, own) => {
    answer({ 'folders.putRules': {} });
    const { user, onOpenChange } = await open(own);
    await user.click(await screen.findByRole('button', { name: /Save|Set/ }));
    await waitFor(() => expect(onOpenChange).toHaveBeenCalledWith(false));
    expect(callsOf('folders.putRules')).toEqual([[folder('/lights').id, own, { ifMatch: '"1"' }]]);
  });

  test('takes types as people write them: dots, capitals, commas, each once', async () => {
    answer({ 'folders.putRules': {} });
    const { user, onOpenChange } = await open(NO_RULES);
    await user.type(await screen.findByLabelText(/Allowed types/), '.JPG, png  jpg,image/*');
    await user.type(screen.getByLabelText(/Maximum size/), '1.5');
    await user.click(screen.getByRole('button', { name: /Save|Set/ }));
    await waitFor(() => expect(onOpenChange).toHaveBeenCalledWith(false));
    expect(callsOf('folders.putRules')[0]?.[1]).toEqual({
      ...NO_RULES,
      allow: ['jpg', 'png', 'image/*'],
      maxBytes: 1_500_000,
    });
  });

  test.each([
    [/Maximum size/, '2 MB', 'Enter a number, or leave it empty.'],
    [/Maximum items/, '-3', 'Enter a whole number, or leave it empty.'],
    [/Allowed types/, 'image/', 'Enter extensions or types'],
  ])('%s does not take %j, and nothing is sent', async (label, text, message) => {
    const { user, onOpenChange } = await open(NO_RULES);
    await user.type(await screen.findByLabelText(label), text);
    await user.click(screen.getByRole('button', { name: /Save|Set/ }));
    expect(await screen.findByText(new RegExp(message))).toBeVisible();
    expect(callsOf('folders.putRules')).toEqual([]);
    expect(onOpenChange).not.toHaveBeenCalled();
  });

  test('says why the server refuses, and stays open with what was written', async () => {
    answer({ 'folders.putRules': problem(503, 'The database is away. Try again.') });
    const { user, onOpenChange } = await open(NO_RULES);
    await user.type(await screen.findByLabelText(/Maximum items/), '7');
    await user.click(screen.getByRole('button', { name: /Save|Set/ }));
    expect(await screen.findByRole('alert')).toHaveTextContent('The database is away.');
    expect(screen.getByLabelText(/Maximum items/)).toHaveValue('7');
    expect(onOpenChange).not.toHaveBeenCalled();
  });

  test('a rule that a colleague set meanwhile is not taken back', async () => {
    const { user, onOpenChange } = await open(NO_RULES);
    await user.type(await screen.findByLabelText(/Allowed types/), 'jpg');
    answer({
      'folders.rulesTagged': { value: { own: { ...NO_RULES, maxItems: 40 }, effective: {} }, etag: '"2"' },
      'folders.putRules': (_id: string, _rules: FolderRules, { ifMatch }: { ifMatch: string }) =>
        ifMatch === '"1"' ? problem(412, 'Changed meanwhile.') : {},
    });
    await user.click(screen.getByRole('button', { name: /Save|Set/ }));
    await waitFor(() => expect(onOpenChange).toHaveBeenCalledWith(false));
    expect(callsOf('folders.putRules').at(-1)).toEqual([
      folder('/lights').id,
      { ...NO_RULES, allow: ['jpg'], maxItems: 40 },
      { ifMatch: '"2"' },
    ]);
  });

  test('without the right it is only read', async () => {
    await open(ALL, ['library:read']);
    expect(await screen.findByText(/you need the right/)).toBeVisible();
    expect(screen.queryByRole('button', { name: /Save|Set/ })).toBeNull();
  });
});
