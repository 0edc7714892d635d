import { expect, type Page, test } from '@playwright/test';
import { makePictures, send, signIn, URL_OF_CONSOLE } from './person.js';

const SIZES = [
  [1280, 800],
  [1024, 768],
  /** A window of 1280 × 800 at a zoom of 200 %. */
  [640, 400],
  [390, 844],
] as const;

const PAGES = [
  '/',
  '/intake',
  '/intake?way=addresses&folder=/layout',
  '/intake?way=manifest&folder=/layout',
  '/intake?way=inbox&folder=/layout',
  '/library/layout',
  '/library/layout?as=table',
  '/library?counts=yes&q=kind:image',
  '/bin',
  '/duplicates',
  '/recipes',
  '/recipes/new',
  '/recipes/matrix',
  '/recipes/surplus',
  '/recipes/originals',
  '/runs',
  '/runs/workers',
  '/automate',
];

let page: Page;

test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
  await signIn(page);
  await send('/layout', await makePictures(3, `${'a-long-name-'.repeat(14)}نور-🌊`));
});

test.afterAll(() => page.close());

/** What is out of place: beyond the window, or over something else that can be pressed. */
function misplaced(): string[] {
  const found: string[] = [];
  const root = document.documentElement;
  if (root.scrollWidth > window.innerWidth) found.push(`the page is ${root.scrollWidth} px wide`);
  const layer = [...document.querySelectorAll('[role=dialog], [role=alertdialog]')].at(-1) ?? document.body;
  const scrollsSideways = (element: Element | null): boolean =>
    element !== null &&
    (['auto', 'scroll'].includes(getComputedStyle(element).overflowX) ||
      scrollsSideways(element.parentElement));
  const things = [...layer.querySelectorAll('a, button, input, select, textarea, h1, h2')].flatMap(
    (element) => {
      const box = element.getBoundingClientRect();
      const style = getComputedStyle(element);
      const isSeen =
        box.width > 1 && box.height > 1 && style.visibility === 'visible' && style.opacity !== '0';
      const name = `${element.tagName} “${(element.getAttribute('aria-label') ?? element.textContent ?? '').slice(0, 40)}”`;
      return isSeen && !element.closest('[aria-hidden=true]') ? [{ element, box, name }] : [];
    },
  );
  for (const { element, box, name } of things)
    if ((box.left < -1 || box.right > window.innerWidth + 1) && !scrollsSideways(element.parentElement))
      found.push(`${name} reaches from ${Math.round(box.left)} to ${Math.round(box.right)} px`);
  const isScrolledAway = (element: Element, x: number, y: number) => {
    for (let around = element.parentElement; around; around = around.parentElement) {
      const { left, right, top, bottom } = around.getBoundingClientRect();
      const isClipped = getComputedStyle(around).overflow !== 'visible';
      if (isClipped && (x < left || x > right || y < top || y > bottom)) return true;
    }
    return false;
  };
  const onTop = ({ element, box }: (typeof things)[number]) => {
    if (isScrolledAway(element, box.left + box.width / 2, box.top + box.height / 2)) return null;
    const at = document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2);
    return at !== null && (element.contains(at) || at.contains(element)) ? null : at;
  };
  for (const thing of things) {
    const over = onTop(thing)?.closest('a, button, input, select, textarea');
    if (over && !over.contains(thing.element) && !over.closest('label')?.contains(thing.element))
      found.push(`${thing.name} lies below ${over.tagName} “${over.textContent?.slice(0, 40)}”`);
  }
  return found;
}

for (const [width, height] of SIZES) {
  test(`at ${width} × ${height} nothing is cut off, and nothing covers anything`, async () => {
    await page.setViewportSize({ width, height });
    const found: string[] = [];
    for (const path of PAGES) {
      await page.goto(URL_OF_CONSOLE + path);
      await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
      await page.waitForLoadState('networkidle').catch(() => {});
      found.push(...(await page.evaluate(misplaced)).map((what) => `${path}: ${what}`));
    }
    expect(found).toEqual([]);
  });

  test(`at ${width} × ${height} an open line leaves room for the listing`, async () => {
    await page.setViewportSize({ width, height });
    await page.goto(`${URL_OF_CONSOLE}/library/layout`);
    await page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().click();
    await expect(page.getByRole('button', { name: 'Edit texts, name and folder' })).toBeVisible();
    const sheet = await page.getByRole('list', { name: 'Contact sheet' }).locator('..').boundingBox();
    expect(sheet?.height).toBeGreaterThanOrEqual(90);
    expect(await page.evaluate(misplaced)).toEqual([]);
    await page.getByRole('button', { name: 'Edit texts, name and folder' }).click();
    const dialog = await page.getByRole('dialog').boundingBox();
    expect(dialog && dialog.x >= 0 && dialog.x + dialog.width <= width).toBe(true);
    expect(dialog && dialog.y >= 0 && dialog.y + dialog.height <= height).toBe(true);
    expect(await page.evaluate(misplaced)).toEqual([]);
    await page.keyboard.press('Escape');
  });
}
