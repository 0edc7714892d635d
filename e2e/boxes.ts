import { expect, type Locator, type Page } from '@playwright/test';

/** What opens over a page. */
export const LAYERS = '[role=dialog], [role=alertdialog], [role=menu]';

/** The windows in which everything has to have its place. */
export const SIZES = [
  [1280, 800],
  [1024, 768],
  /** A window of 1280 × 800 at a zoom of 200 %. */
  [640, 400],
  [390, 844],
] as const;

/** What is out of place: beyond the window, or over something else that can be pressed. */
export function misplaced(): string[] {
  const found: string[] = [];
  const root = document.documentElement;
  if (root.scrollWidth > window.innerWidth) found.push(`the page is ${root.scrollWidth} px wide`);
  const layer =
    [...document.querySelectorAll('[role=dialog], [role=alertdialog], [role=menu]')].at(-1) ?? document.body;
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

/** Looks at the page in windows of all sizes. @param prepare what else a window of a new size needs */
async function faultsAtEachSize(
  page: Page,
  name: string,
  faults: () => Promise<string[]>,
  prepare = async () => {},
): Promise<string[]> {
  const found: string[] = [];
  for (const [width, height] of SIZES) {
    await page.setViewportSize({ width, height });
    await prepare();
    // Some things are placed again in the frame after the one that knows the new size.
    await page.evaluate(
      () => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))),
    );
    const all = [...(await faults()), ...(await page.evaluate(misplaced))];
    found.push(...all.map((fault) => `${name} at ${width} × ${height}: ${fault}`));
  }
  const [[width, height]] = SIZES;
  await page.setViewportSize({ width, height });
  return found;
}

/** Checks that nothing on the page is cut off or covered, in windows of all sizes. */
export async function expectInPlace(page: Page, name: string): Promise<void> {
  expect(await faultsAtEachSize(page, name, async () => [])).toEqual([]);
}

/**
 * Checks that what is open over the page lies within the window, and nothing in it is covered, in windows of all sizes.
 * What opened it is found by its role, and so only where no dialog hides it.
 */
export async function expectLayerInPlace(page: Page, name: string, opener?: Locator): Promise<void> {
  const faults = async () => {
    const box = await page.locator(LAYERS).last().boundingBox();
    const { width, height } = page.viewportSize() ?? { width: 0, height: 0 };
    if (!box) return ['it is gone'];
    const isWithin = box.x >= 0 && box.y >= 0 && box.x + box.width <= width && box.y + box.height <= height;
    return isWithin ? [] : [`it lies at ${Object.values(box).map(Math.round).join(', ')}`];
  };
  // A popover or a menu goes with its button, which may have left the window as it shrank.
  const prepare = async () => {
    if (opener && (await opener.count()) > 0) await opener.scrollIntoViewIfNeeded();
  };
  expect(await faultsAtEachSize(page, name, faults, prepare)).toEqual([]);
}
