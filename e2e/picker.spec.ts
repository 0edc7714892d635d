import { expect, type FrameLocator, type Page, test } from '@playwright/test';
import { expectAccessible, KEY, makePictures, send, URL_OF_CONSOLE, URL_OF_SITE } from './person.js';

// An editor of the demo site, who has no session in the console.
let page: Page;
let picture = '';
test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext()).newPage();
  await send('/picked', await makePictures(2, 'picked'));
  picture = (await makePictures(1, 'new'))[0] ?? '';
});
test.afterAll(() => page.context().close());

const frame = (): FrameLocator => page.frameLocator('iframe[title="Choose media"]');
const choose = (name: string) => frame().getByRole('button', { name: `Choose ${name}` });

test('a page without a framework gets ready HTML where its cursor is', async () => {
  await page.goto(`${URL_OF_SITE}/editor`);
  const text = page.getByLabel('Notice');
  await text.fill('Before. After.');
  await text.evaluate((node: HTMLTextAreaElement) => node.setSelectionRange(8, 8));
  await page.getByRole('button', { name: 'Add a picture' }).click();
  await frame().getByRole('searchbox').fill('picked');
  await choose('picked-01.jpg').click();
  await frame().getByLabel('Alternative text').fill('A light at "dusk"');
  await expect(frame().getByRole('region', { name: 'HTML' })).toContainText('&#34;dusk&#34;');
  await frame().getByRole('button', { name: 'Insert' }).click();
  await expect(page.locator('iframe')).toHaveCount(0);
  await expect(text).toHaveValue(/^Before\. <img src="[^"]+\/media\/picked\/picked-01\.jpg".*>After\.$/s);
  const shown = page.getByRole('img', { name: 'A light at "dusk"' });
  await expect.poll(() => shown.evaluate((node: HTMLImageElement) => node.naturalWidth)).toBeGreaterThan(0);
});

test('a React page gets the event with the asset and the chosen recipe', async () => {
  await page.goto(`${URL_OF_SITE}/editor/react`);
  await page.getByRole('button', { name: 'Add a picture' }).click();
  await frame().getByRole('button', { name: 'Upload', exact: true }).click();
  await frame().getByLabel('File').setInputFiles(picture);
  await frame().getByRole('button', { name: 'Upload', exact: true }).last().click();
  await expect(frame().getByRole('button', { name: 'Insert' })).toBeEnabled();
  await frame().getByLabel('Alternative text').fill('New here');
  await frame().getByRole('button', { name: 'Insert' }).click();
  await expect(page.getByRole('img', { name: 'New here' })).toBeVisible();
  const answer = await fetch(`${URL_OF_CONSOLE}/api/v1/assets?q=new-01`, {
    headers: { Authorization: `Bearer ${KEY}` },
  });
  expect((await answer.json()).items[0].origin.by).toBe('Picker (Script)');
});

test('what the token does not allow is refused in words, and nothing else is lost', async () => {
  await page.getByRole('button', { name: 'Add a picture' }).click();
  await frame().getByRole('button', { name: 'Address', exact: true }).click();
  await frame().getByLabel('Address').fill('data:text/plain,hello');
  await frame().getByRole('button', { name: 'Add', exact: true }).click();
  await expect(frame().getByText(/only image\/\* can be uploaded here/)).toBeVisible();
  await expectAccessible(page, 'the picker');
});

test('Escape closes it, from inside the frame too, and focus returns to its button', async () => {
  await frame().getByLabel('Address').press('Escape');
  await expect(page.locator('iframe')).toHaveCount(0);
  await expect(page.getByRole('button', { name: 'Add a picture' })).toBeFocused();
});

test('a page of another origin, a key, and a page without a frame open nothing', async () => {
  await page.goto(`${URL_OF_SITE}/editor`);
  const open = async (token: string) => {
    await page.evaluate((given) => {
      const picker = document.querySelector('uniferum-picker') as HTMLElement & {
        getToken: () => Promise<string>;
        open: () => void;
      };
      picker.getToken = async () => given;
      picker.open();
    }, token);
  };
  const headers = { Authorization: `Bearer ${KEY}`, 'Content-Type': 'application/json' };
  const body = JSON.stringify({ origin: 'https://other.example' });
  const made = await fetch(`${URL_OF_CONSOLE}/api/v1/picker-tokens`, { method: 'POST', headers, body });
  await open((await made.json()).token);
  await expect(frame().getByRole('alert')).toContainText('for pages of https://other.example');
  await frame().getByRole('button', { name: 'Close' }).click();
  await open(KEY);
  await expect(frame().getByRole('alert')).toContainText('An API key must not be sent to a browser');
  await frame().getByRole('button', { name: 'Close' }).click();
  await open('ut_gone');
  await expect(frame().getByText(/valid key/)).toBeVisible();
  await page.goto(`${URL_OF_CONSOLE}/picker`);
  await expect(page.getByText('<uniferum-picker>')).toBeVisible();
});

test('a property that was set before the script is loaded counts', async () => {
  await page.goto(`${URL_OF_SITE}/`);
  const message = page.evaluate(async (url) => {
    const picker = document.createElement('uniferum-picker');
    Object.assign(picker, { getToken: async () => Promise.reject(new Error('set early')) });
    document.body.append(picker);
    const failed = new Promise((resolve) => {
      picker.addEventListener('uniferum-error', (event) => resolve((event as CustomEvent).detail.message));
    });
    const script = document.createElement('script');
    script.src = `${url}/picker.js`;
    document.head.append(script);
    await customElements.whenDefined('uniferum-picker');
    (picker as HTMLElement & { open: () => void }).open();
    return failed;
  }, URL_OF_CONSOLE);
  expect(await message).toBe('set early');
  await expect(frame().getByRole('alert')).toContainText('set early');
});

test('only the page of the picker can be framed, and its script can be loaded from anywhere', async () => {
  const policyOf = async (path: string) => {
    const { headers } = await fetch(URL_OF_CONSOLE + path, { headers: { Accept: 'text/html' } });
    return { frame: headers.get('x-frame-options'), policy: headers.get('content-security-policy') ?? '' };
  };
  expect((await policyOf('/picker')).policy).toContain('frame-ancestors http: https:');
  expect((await policyOf('/picker')).frame).toBeNull();
  for (const path of ['/', '/library', '/picker.html/x', '/picker/x']) {
    expect((await policyOf(path)).policy, path).toContain("frame-ancestors 'none'");
    expect((await policyOf(path)).frame, path).toBe('SAMEORIGIN');
  }
  const script = await fetch(`${URL_OF_CONSOLE}/picker.js`);
  expect(script.headers.get('cross-origin-resource-policy')).toBe('cross-origin');
  expect(script.headers.get('content-type')).toContain('text/javascript');
});
