import { expect, type Page, test } from '@playwright/test';
import { expectLayerInPlace } from './boxes.js';
import { expectAccessible, makePictures, send, signIn, URL_OF_CONSOLE } from './person.js';

/** What opens over a page: the page, what is pressed one after the other, and the role of what appears. */
const LAYERS: [path: string, pressed: (string | RegExp)[], role?: 'dialog' | 'menu'][] = [
  ['/library/lights', ['New folder']],
  ['/library/lights', ['Rename or move this folder']],
  ['/library/lights', ['Delete this folder']],
  ['/library/lights', ['What this folder publishes']],
  ['/library/lights', ['Rules']],
  ['/library/lights', ['Rules', 'View as code']],
  ['/library', ['Filter syntax']],
  ['/library/dialogs', ['first picture', 'Edit texts, name and folder']],
  ['/library/dialogs', ['first picture', 'Move to bin']],
  ['/intake', ['Metadata mapping']],
  ['/recipes', ['Import']],
  ['/recipes', ['Rehearse a rebuild']],
  ['/recipes', [/^Delete /]],
  ['/recipes/wide', ['Revisions']],
  ['/recipes/wide', ['Add a step'], 'menu'],
  ['/automate', ['New key']],
  ['/pages', ['New page']],
  ['/pages/sources', ['New source']],
  ['/connections', ['New bucket']],
  ['/connections/stores', ['New store']],
  ['/connections/stores', [/^Findings in/]],
  ['/library/lights', ['Where its files are stored']],
  ['/library/dialogs', ['first picture', 'Copies …']],
  ['/library/dialogs', ['first picture', 'Links …']],
  ['/pages/sources', [/^Replace addresses/]],
  ['/', ['Keyboard shortcuts']],
  ['/', [/^Go to/]],
];

let page: Page;
test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext()).newPage();
  await signIn(page);
  await send('/dialogs', await makePictures(1, 'opened'));
});
test.afterAll(() => page.context().close());

test('axe finds nothing serious in what opens over a page, and all of it is in place at every size', async () => {
  test.setTimeout(180_000);
  for (const [path, pressed, role = 'dialog'] of LAYERS) {
    await page.goto(URL_OF_CONSOLE + path);
    for (const name of pressed)
      await (name === 'first picture'
        ? page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().click()
        : page.getByRole('button', { name }).first().click());
    await expect(page.getByRole(role).last()).toBeVisible();
    const name = `${path} ${pressed.join(', ')}`;
    await expectAccessible(page, name);
    const opener = page.getByRole('button', { name: pressed.at(-1) ?? '' }).first();
    await expectLayerInPlace(page, name, opener);
  }
});

test('closing gives the focus back to what opened it', async () => {
  for (const [path, pressed] of LAYERS.filter(([, names]) => names.length === 1)) {
    await page.goto(URL_OF_CONSOLE + path);
    // A press on a button that is replaced as answers come in would be lost.
    await page.waitForLoadState('networkidle').catch(() => {});
    const opener = page.getByRole('button', { name: pressed[0] }).first();
    await opener.press('Enter');
    await expect(page.locator('[role=dialog], [role=menu]').last(), `${path} ${pressed[0]}`).toBeVisible();
    await page.keyboard.press('Escape');
    await expect(page.locator('[role=dialog], [role=menu]')).toHaveCount(0);
    await expect(opener, `${path} ${pressed[0]}`).toBeFocused();
  }
});
