import { expect, type Page, test } from '@playwright/test';
import { expectLayerInPlace, LAYERS } from './boxes.js';
import { expectAccessible, makePictures, send, signIn, URL_OF_CONSOLE } from './person.js';

/** What opens over a page: the page, what is pressed one after the other, and the role of what appears. */
const OPENED: [path: string, pressed: (string | RegExp)[], role?: 'dialog' | 'menu'][] = [
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

for (const [path, pressed, role = 'dialog'] of OPENED)
  test(`at ${path}, ${pressed.join(', ')} opens what axe finds nothing serious in, in place at every size`, async () => {
    await page.goto(URL_OF_CONSOLE + path);
    // A press on a button that is replaced as answers come in would be lost.
    await page.waitForLoadState('networkidle').catch(() => {});
    for (const name of pressed)
      await (name === 'first picture'
        ? page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().click()
        : page.getByRole('button', { name }).first().press('Enter'));
    const layers = page.locator(LAYERS);
    await expect(page.getByRole(role).last()).toBeVisible();
    const opener = page.getByRole('button', { name: pressed.at(-1) ?? '' }).first();
    await expectAccessible(page, path, LAYERS);
    await expectLayerInPlace(page, path, opener);

    const count = await layers.count();
    await page.keyboard.press('Escape');
    await expect(layers).toHaveCount(count - 1);
    await expect(opener, 'closing gives the focus back').toBeFocused();
  });
