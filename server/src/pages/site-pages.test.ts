import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { slugOf } from './save-page.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  await server.call('POST', `${api}/recipes`, {
    json: { name: 'wide', title: 'Wide', steps: [{ op: 'fit', width: 40, mode: 'inside' }] },
  });
});
afterAll(() => server.close());

let pages = 0;
beforeEach(() => {
  pages += 1;
});

const call = (
  method: 'GET' | 'POST' | 'PATCH' | 'PUT' | 'DELETE',
  path: string,
  json?: object,
  more: object = {},
) => server.call(method, `${api}${path}`, { ...(json && { json }), ...more });
const get = async (path: string) => (await call('GET', path)).body;
const folder = () => `/p${pages}`;
async function addPage(more: object = {}) {
  const { status, body } = await call('POST', '/pages', { title: `Page ${pages}`, ...more });
  expect(status, JSON.stringify(body)).toBe(201);
  return body;
}
async function sendPicture(name: string, texts: Record<string, string> = {}): Promise<string> {
  const data = await photo(80 + pages, 60);
  const body = form(folder(), [{ name, data }], texts);
  const sent = await server.call('POST', `${api}/assets`, { body });
  expect(sent.status).toBe(201);
  await server.workUntilIdle();
  return sent.body.id;
}
const usesOf = async (id: string) =>
  (await get(`/assets/${id}/uses`)).items.map(
    ({ document, attribute, recipe }: Record<string, string>) =>
      `${document} ${attribute}${recipe ? ` ${recipe}` : ''}`,
  );

describe('a page', () => {
  test('is stored with the ids of media, and shown with their addresses of now', async () => {
    const id = await sendPicture('dusk.jpg', { alt: 'Dusk' });
    const body = `<p>é 🗼 <a data-asset="${id}">whole</a></p><figure data-align="left"><img data-asset="${id}" data-recipe="wide"></figure>`;
    const page = await addPage({ body, slug: `first-${pages}` });
    const stored = body.replace('"wide">', '"wide" />');
    expect(page).toMatchObject({
      path: `/first-${pages}`,
      state: 'draft',
      revision: 1,
      broken: 0,
      body: stored,
    });
    const media = `${server.url}/media${folder()}`;
    expect(page.html).toBe(
      `<p>é 🗼 <a href="${media}/dusk.jpg">whole</a></p><figure class="align-left"><img src="${media}/dusk~wide.jpg" width="40" height="${Math.round((40 * 60) / (80 + pages))}" alt="Dusk" loading="lazy" decoding="async"></figure>`,
    );
    expect((await usesOf(id)).sort()).toEqual([
      `/first-${pages} a data-asset`,
      `/first-${pages} img data-asset wide`,
    ]);
    await call('PATCH', `/assets/${id}`, { name: 'renamed.jpg' });
    expect((await get(`/pages/${page.id}`)).html).toContain(`${media}/renamed.jpg`);
    expect((await get(`/assets/${id}`)).uses).toBe(2);
  });

  test('whose picture is gone is not broken: its text stays, and it is counted', async () => {
    const id = await sendPicture('gone.jpg');
    const page = await addPage({
      body: `<p><img data-asset="${id}" alt="The light &amp; sea"> <a data-asset="${id}">link</a></p>`,
    });
    expect((await call('DELETE', `/assets/${id}`)).status).toBe(409);
    await call('DELETE', `/assets/${id}?force=true`);
    const broken = await get(`/pages/${page.id}`);
    expect(broken).toMatchObject({ html: '<p>The light &amp; sea link</p>', broken: 2 });
    await call('POST', `/assets/${id}/restore`);
    expect((await get(`/pages/${page.id}`)).broken).toBe(0);
  });

  test('is published when it is said, and the site shows that until it is published again', async () => {
    const page = await addPage({ slug: `pub-${pages}`, body: '<p>one</p>' });
    const at = () => call('GET', `/pages/at?path=/pub-${pages}/`);
    expect((await at()).status).toBe(404);
    const published = (await call('PATCH', `/pages/${page.id}`, { state: 'published' })).body;
    expect(published).toMatchObject({
      state: 'published',
      hasChanges: false,
      publishedAt: expect.any(String),
    });
    expect((await at()).body.html).toBe('<p>one</p>');
    const changed = (await call('PATCH', `/pages/${page.id}`, { body: '<p>two</p>' })).body;
    expect(changed).toMatchObject({ state: 'published', hasChanges: true, html: '<p>two</p>' });
    expect((await at()).body.html).toBe('<p>one</p>');
    await call('PATCH', `/pages/${page.id}`, { state: 'published' });
    expect((await at()).body.html).toBe('<p>two</p>');
    await call('PATCH', `/pages/${page.id}`, { state: 'draft' });
    expect((await at()).status).toBe(404);
  });

  test('uses what it shows and what is written', async () => {
    const [one, two] = [await sendPicture('one.jpg'), await sendPicture('two.jpg')];
    const page = await addPage({
      slug: `both-${pages}`,
      body: `<img data-asset="${one}" alt="1">`,
      state: 'published',
    });
    await call('PATCH', `/pages/${page.id}`, { body: `<img data-asset="${two}" alt="2">` });
    expect(await usesOf(one)).toEqual([`/both-${pages} img data-asset (published)`]);
    expect(await usesOf(two)).toEqual([`/both-${pages} img data-asset`]);
    await call('PATCH', `/pages/${page.id}`, { state: 'published' });
    expect(await usesOf(one)).toEqual([]);
  });

  test('is not published silently with a picture that has no text', async () => {
    const [told, untold] = [
      await sendPicture('told.jpg', { alt: 'A light' }),
      await sendPicture('untold.jpg'),
    ];
    const body = `<img data-asset="${told}"><img data-asset="${untold}"><img data-asset="${told}" alt=""><img data-asset="${untold}" data-decorative>`;
    const page = await addPage({ body });
    const refused = await call('PATCH', `/pages/${page.id}`, { state: 'published' });
    expect(refused.status).toBe(422);
    expect(refused.body.errors.map(({ message }: { message: string }) => message)).toEqual([
      'Picture 2 has no alternative text. Describe it, or mark it as decorative.',
      'Picture 3 has no alternative text. Describe it, or mark it as decorative.',
    ]);
    expect((await get(`/pages/${page.id}`)).state).toBe('draft');
    expect((await call('PATCH', `/pages/${page.id}?force=true`, { state: 'published' })).status).toBe(200);
  });

  test('has galleries of chosen files and of a filter', async () => {
    const [a, b] = [await sendPicture('a.jpg', { caption: 'First' }), await sendPicture('b.jpg')];
    const page = await addPage({
      body: `<figure data-gallery="rows" data-assets="${b} ${a}" data-recipe="wide"></figure><figure data-gallery="grid" data-folder="${folder()}" data-filter="kind:image"></figure><figure data-gallery="sequence" data-filter="((("></figure>`,
    });
    const [rows, grid, sequence] = page.html.split('<div class="gallery ').slice(1) as [
      string,
      string,
      string,
    ];
    expect(rows).toMatch(/^gallery-rows">.*b~wide\.jpg.*a~wide\.jpg.*<figcaption>First<\/figcaption>/);
    expect(grid.match(/<figure>/g)).toHaveLength(2);
    expect(sequence).toBe('gallery-sequence"></div>');
    expect(await usesOf(a)).toHaveLength(1);
  });

  test('below another has its path, and moves with it; its address is its own', async () => {
    const top = await addPage({ slug: `top-${pages}`, state: 'published' });
    const child = await addPage({ title: 'Child', parent: top.id, slug: 'child' });
    const shown = await sendPicture('leaf.jpg');
    const body = `<img data-asset="${shown}" alt="x">`;
    const leaf = await addPage({ title: 'Leaf', parent: child.id, slug: 'leaf', body });
    expect(leaf.path).toBe(`/top-${pages}/child/leaf`);
    await call('PATCH', `/pages/${top.id}`, { slug: `moved-${pages}` });
    const at = (path: string) => call('GET', `/pages/at?path=${path}`);
    expect((await at(`/top-${pages}`)).headers.get('location')).toBe(
      `${api}/pages/at?path=%2Fmoved-${pages}`,
    );
    // A draft is told to nobody, wherever it was.
    expect((await at(`/top-${pages}/child`)).status).toBe(404);
    await call('PATCH', `/pages/${child.id}`, { state: 'published' });
    expect((await at(`/top-${pages}/child`)).status).toBe(308);
    // Another page at the path comes first, and what led there is found again when it is gone.
    const other = await addPage({ slug: `top-${pages}`, state: 'published' });
    expect((await at(`/top-${pages}`)).body.id).toBe(other.id);
    await call('DELETE', `/pages/${other.id}`);
    expect((await at(`/top-${pages}`)).status).toBe(308);
    expect((await get(`/pages/${leaf.id}`)).path).toBe(`/moved-${pages}/child/leaf`);
    expect(await usesOf(shown)).toEqual([`/moved-${pages}/child/leaf img data-asset`]);
    expect((await call('POST', '/pages', { title: 'Twice', parent: top.id, slug: 'child' })).status).toBe(
      409,
    );
    expect((await call('PATCH', `/pages/${top.id}`, { parent: leaf.id })).status).toBe(409);
    expect((await call('DELETE', `/pages/${top.id}`)).status).toBe(409);
    expect((await call('DELETE', `/pages/${leaf.id}`)).status).toBe(204);
    const { items, total } = await get(`/pages?q=moved-${pages}`);
    expect([items.map(({ path }: { path: string }) => path), total]).toEqual([
      [`/moved-${pages}`, `/moved-${pages}/child`],
      2,
    ]);
  });

  test('is found the same by indexing all of them again', async () => {
    const id = await sendPicture('again.jpg');
    const page = await addPage({ body: `<img data-asset="${id}" alt="x"><a href="/media/no.jpg">y</a>` });
    const { items } = await get('/sources');
    const source = items.find(({ kind }: { kind: string }) => kind === 'pages').id;
    const index = async () => {
      const { run } = (await call('POST', `/sources/${source}/index`)).body;
      await server.workUntilIdle();
      return get(`/runs/${run.id}`);
    };
    expect(await index()).toMatchObject({ total: 0 });
    const { total } = await get(`/references?source=${source}&state=found`);
    await server.db.execute('UPDATE page_documents SET stamp = ? WHERE source_id = ?', ['old', source]);
    expect((await index()).failed).toBe(0);
    expect((await get(`/references?source=${source}&state=found`)).total).toBe(total);
    expect(await get(`/pages/${page.id}`)).toMatchObject({ broken: 1 });
    expect((await call('POST', `/sources/${source}/test`)).body.steps).toMatchObject([{ ok: true }]);
    expect((await call('DELETE', `/sources/${source}`)).status).toBe(409);
  });

  test('that is deleted uses nothing', async () => {
    const id = await sendPicture('x.jpg');
    const page = await addPage({ body: `<img data-asset="${id}" alt="x">` });
    expect(await usesOf(id)).toHaveLength(1);
    await call('DELETE', `/pages/${page.id}`);
    expect(await usesOf(id)).toEqual([]);
    expect((await call('GET', `/pages/${page.id}`)).status).toBe(404);
  });

  test('is rewritten as a revision of its own, published where it was, and brought back', async () => {
    const body = '<p><a href="https://old.example/a">é</a></p>';
    const live = await addPage({ slug: `live-${pages}`, body, state: 'published' });
    const half = await addPage({ title: 'Half', slug: `half-${pages}`, body, state: 'published' });
    await call('PATCH', `/pages/${half.id}`, { body: `${body}<p>more</p>` });
    const sources = (await get('/sources')).items.filter(({ kind }: { kind: string }) => kind === 'pages');
    expect(sources).toMatchObject([{ writable: true }]);
    const request = {
      sources: [sources[0].id],
      map: [{ from: 'https://old.example/a', to: 'https://new.example/b' }],
    };
    const { run } = (await call('POST', '/rewrites', request)).body;
    await server.workUntilIdle();
    expect(await get(`/runs/${run.id}`)).toMatchObject({ done: 1, failed: 1 });
    expect((await get(`/pages/at?path=/live-${pages}`)).html).toContain('https://new.example/b');
    expect(await get(`/pages/${live.id}`)).toMatchObject({ revision: 2, hasChanges: false });
    expect((await get(`/pages/${half.id}`)).body).toContain('old.example');
    await call('POST', `/runs/${run.id}/undo`);
    await server.workUntilIdle();
    expect((await get(`/pages/${live.id}`)).body).toBe(body);
  });
});

describe('saving', () => {
  test('over what somebody else has saved is refused', async () => {
    const page = await addPage();
    const { headers } = await call('GET', `/pages/${page.id}`);
    const ifMatch = { headers: { 'If-Match': headers.get('etag') ?? '' } };
    const first = await call('PATCH', `/pages/${page.id}`, { body: '<p>hers</p>' }, ifMatch);
    expect(first.status).toBe(200);
    expect(first.headers.get('etag')).not.toBe(headers.get('etag'));
    expect((await call('PATCH', `/pages/${page.id}`, { body: '<p>his</p>' }, ifMatch)).status).toBe(412);
    expect((await get(`/pages/${page.id}`)).body).toBe('<p>hers</p>');
  });

  test('by itself folds what one person writes into one revision; what was published stays', async () => {
    const page = await addPage({ body: '<p>0</p>', state: 'published' });
    for (const n of [1, 2, 3])
      await call('PATCH', `/pages/${page.id}?autosave=true`, { body: `<p>${n}</p>` });
    const other = await server.key();
    await server.call('PATCH', `${api}/pages/${page.id}`, { json: { body: '<p>4</p>' }, key: other });
    const { items, total } = await get(`/pages/${page.id}/revisions`);
    expect(items.map(({ revision, autosaved }: Record<string, unknown>) => [revision, autosaved])).toEqual([
      [5, false],
      [4, true],
      [1, false],
    ]);
    expect(total).toBe(3);
    expect((await get(`/pages/${page.id}/revisions/1`)).html).toBe('<p>0</p>');
    const restored = (await call('POST', `/pages/${page.id}/revisions/4/restore`)).body;
    expect(restored).toMatchObject({ body: '<p>3</p>', revision: 6 });
    expect((await call('POST', `/pages/${page.id}/revisions/99/restore`)).status).toBe(404);
  });

  test('the same again makes no revision', async () => {
    const page = await addPage({ body: '<p>x</p>' });
    await call('PATCH', `/pages/${page.id}`, { body: '<p>x</p>', title: page.title });
    expect((await get(`/pages/${page.id}`)).revision).toBe(1);
  });

  test('at the same time loses nothing: one of two is told', async () => {
    const page = await addPage();
    const answers = await Promise.all(
      Array.from({ length: 6 }, (_, n) => call('PATCH', `/pages/${page.id}`, { body: `<p>${n}</p>` })),
    );
    const saved = answers.filter(({ status }) => status === 200).length;
    expect(answers.every(({ status }) => status === 200 || status === 412)).toBe(true);
    expect((await get(`/pages/${page.id}`)).revision).toBe(1 + saved);
  });

  test('two pages at the same address at the same time leaves one, whole', async () => {
    const id = await sendPicture('race.jpg');
    const body = `<img data-asset="${id}" alt="x">`;
    const answers = await Promise.all(
      Array.from({ length: 5 }, () => call('POST', '/pages', { title: 'Race', slug: `race-${pages}`, body })),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([201, 409, 409, 409, 409]);
    expect(await usesOf(id)).toEqual([`/race-${pages} img data-asset`]);
  });

  test('what is no page is refused, and nothing of it is kept', async () => {
    const page = await addPage({ body: '<p>x</p>' });
    const refused = async (json: object, status = 400) =>
      expect((await call('PATCH', `/pages/${page.id}`, json)).status, JSON.stringify(json)).toBe(status);
    await refused({ slug: 'a/b' });
    await refused({ slug: '../x' });
    await refused({ title: '' });
    await refused({ title: 'x'.repeat(301) });
    await refused({ body: 'x'.repeat(2_000_001) });
    await refused({ parent: '999999' });
    await refused({ nothing: 1 });
    await refused({ slots: { 'Not a name': [] } });
    await refused({ body: '<p>y</p>', slots: { nothing: [] } }, 422);
    expect(await get(`/pages/${page.id}`)).toMatchObject({ revision: 1, body: '<p>x</p>' });
    const nul = await call('PATCH', `/pages/${page.id}`, { body: '<p>a\u0000b\ud800</p>' });
    expect([200, 400]).toContain(nul.status);
  });

  test('is never without its page, however often it is saved by itself', async () => {
    const page = await addPage();
    const saves = (async () => {
      for (let n = 0; n < 20; n += 1)
        await call('PATCH', `/pages/${page.id}?autosave=true`, { body: `<p>${n}</p>` });
    })();
    const reads = await Promise.all(
      Array.from({ length: 60 }, async () => (await call('GET', `/pages/${page.id}`)).status),
    );
    await saves;
    expect(new Set(reads)).toEqual(new Set([200]));
  });

  test('while the page above moves leaves every path as that of its parent', async () => {
    const top = await addPage({ slug: `race-top-${pages}` });
    const children = [];
    for (const n of [1, 2, 3])
      children.push(await addPage({ title: `C${n}`, slug: `c${n}`, parent: top.id, body: '<p>0</p>' }));
    const answers = await Promise.all([
      ...[1, 2, 3].map((n) => call('PATCH', `/pages/${top.id}`, { slug: `raced-${n}-${pages}` })),
      ...children.flatMap(({ id }) =>
        [1, 2].map((n) => call('PATCH', `/pages/${id}`, { body: `<p>${n}</p>` })),
      ),
      ...[4, 5].map((n) => call('POST', '/pages', { title: `C${n}`, slug: `c${n}`, parent: top.id })),
    ]);
    expect(answers.map(({ status }) => status).filter((status) => status >= 500)).toEqual([]);
    const { path } = await get(`/pages/${top.id}`);
    const { items } = await get(`/pages?q=/c`);
    for (const child of items.filter(({ parent }: { parent: string | null }) => parent === top.id))
      expect(child.path).toBe(`${path}/${child.slug}`);
  });

  test('tells who else edits the page', async () => {
    const page = await addPage();
    const other = await server.key();
    const edit = (editing: boolean, key?: string) =>
      server.call('PUT', `${api}/pages/${page.id}/editing`, { json: { editing }, ...(key && { key }) });
    expect((await edit(true)).body).toEqual({ others: [] });
    expect((await edit(true, other)).status).toBe(200);
    await edit(false);
  });
});

describe('slots', () => {
  beforeAll(async () => {
    const type = {
      name: 'light',
      title: 'Lighthouse',
      slots: [
        { name: 'pictures', help: 'The best first', kinds: ['image'], least: 1, most: 2 },
        { name: 'downloads', folders: ['/plans'] },
      ],
      regions: ['main', 'side'],
    };
    expect((await call('POST', '/page-types', type)).status).toBe(200);
  });

  test('hold files in their order; what is unknown or empty is no error', async () => {
    const [a, b] = [await sendPicture('a.jpg', { alt: 'a' }), await sendPicture('b.jpg', { alt: 'b' })];
    const page = await addPage({ type: 'light', slots: { pictures: [b, a] } });
    const ids = (items: { id: string }[]) => items.map(({ id }) => id);
    expect(ids((await get(`/pages/${page.id}/slots/pictures`)).items)).toEqual([b, a]);
    expect((await get(`/pages/${page.id}/slots/pictures/first`)).id).toBe(b);
    for (const slot of ['downloads', 'nothing']) {
      expect(await get(`/pages/${page.id}/slots/${slot}`)).toEqual({ items: [] });
      expect(await get(`/pages/${page.id}/slots/${slot}/first`)).toBeNull();
    }
    expect(await usesOf(a)).toEqual([`${page.path} slot pictures`]);
    await call('DELETE', `/assets/${b}?force=true`);
    expect((await get(`/pages/${page.id}/slots/pictures/first`)).id).toBe(a);
    expect(await get(`/pages/${page.id}`)).toMatchObject({ broken: 1 });
    await call('PATCH', `/pages/${page.id}`, { slots: { pictures: [a] } });
    expect((await get(`/pages/${page.id}`)).broken).toBe(0);
  });

  test('take only what they allow, and are filled before a page is published', async () => {
    const ids = [];
    for (const name of ['a.jpg', 'b.jpg', 'c.jpg'])
      ids.push(await sendPicture(`${pages}-${name}`, { alt: name }));
    const text = (
      await server.call('POST', `${api}/assets`, {
        body: form(folder(), [{ name: 'x.txt', data: Buffer.from('x') }]),
      })
    ).body.id;
    const page = await addPage({ type: 'light' });
    const change = async (slots: object, more: object = {}) => {
      const { status, body } = await call('PATCH', `/pages/${page.id}`, { slots, ...more });
      return [
        status,
        ...(body.errors ?? []).map(({ field, code }: Record<string, string>) => `${field} ${code}`),
      ];
    };
    expect(await change({ pictures: ids })).toEqual([422, 'slots.pictures too-many']);
    expect(await change({ pictures: [text] })).toEqual([422, 'slots.pictures kind']);
    expect(await change({ downloads: [text] })).toEqual([422, 'slots.downloads folder']);
    expect(await change({ other: [text] })).toEqual([422, 'slots.other unknown']);
    expect(await change({ pictures: ['999999'] })).toEqual([422, 'slots unknown']);
    expect(await change({}, { state: 'published' })).toEqual([422, 'slots.pictures too-few']);
    expect(await change({ pictures: ids.slice(0, 1) }, { state: 'published' })).toEqual([200]);
  });

  test('are of a type; one with pages stays', async () => {
    await addPage({ type: 'light' });
    expect((await call('DELETE', '/page-types/light')).status).toBe(409);
    expect((await call('DELETE', '/page-types/nothing')).status).toBe(404);
    expect((await call('POST', '/pages', { title: 'x', type: 'nothing' })).status).toBe(400);
    await call('POST', '/page-types', { name: 'spare', title: 'Spare' });
    expect((await call('DELETE', '/page-types/spare')).status).toBe(204);
    expect((await get('/page-types')).items.map(({ name }: { name: string }) => name)).toEqual([
      'light',
      'page',
    ]);
  });

  test('regions hold entries with recipe and caption', async () => {
    const id = await sendPicture('r.jpg');
    const page = await addPage({
      type: 'light',
      regions: { side: [{ asset: id, recipe: 'wide', caption: 'At dusk' }] },
    });
    expect(page.regions.side).toMatchObject([{ asset: { id }, recipe: 'wide', caption: 'At dusk' }]);
    expect(await usesOf(id)).toEqual([`${page.path} region side wide`]);
    expect((await call('PATCH', `/pages/${page.id}`, { regions: { top: [] } })).status).toBe(422);
  });
});

test.each([
  ['Gannet Head', 'gannet-head'],
  ['  Éclair & Ñandú! ', 'eclair-nandu'],
  ['Ωmega 灯台', 'ωmega-灯台'],
  ['!!!', 'page'],
])('the slug of “%s” is %s', (title, slug) => {
  expect(slugOf(title)).toBe(slug);
});

test('the rights to read and to write pages are asked for', async () => {
  const page = await addPage();
  const key = await server.key(['library:read']);
  for (const [method, path, json] of [
    ['GET', '/pages', undefined],
    ['GET', `/pages/${page.id}`, undefined],
    ['GET', '/pages/at?path=/', undefined],
    ['POST', '/pages', { title: 'x' }],
    ['PATCH', `/pages/${page.id}`, { title: 'x' }],
    ['DELETE', `/pages/${page.id}`, undefined],
    ['PUT', `/pages/${page.id}/editing`, { editing: true }],
    ['POST', '/page-types', { name: 'x', title: 'x' }],
  ] as const)
    expect((await server.call(method, `${api}${path}`, { key, ...(json && { json }) })).status, path).toBe(
      403,
    );
});
