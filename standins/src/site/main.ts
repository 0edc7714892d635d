import { createClient, isUniferumApiError } from '@uniferum/client';
import express, { type ErrorRequestHandler } from 'express';
import { PLAIN_EDITOR_SCRIPT, plainEditorPage, reactEditorPage } from './editor-pages.js';
import { listLights, readFolder, titleOf } from './library.js';
import { chartRoomPage, homePage, layout, lightPage, newsPage, problemPage, writtenPage } from './pages.js';

// The demo site of the Trust, a separate process. It stores nothing, and reads its content through the API.
const { SITE_PORT = '4281', UNIFERUM_URL = 'http://127.0.0.1:4280', UNIFERUM_KEY = '' } = process.env;
const uniferum = createClient({ baseUrl: UNIFERUM_URL, key: UNIFERUM_KEY, timeoutMs: 10_000 });
const site = express();
site.disable('x-powered-by');

/** A page that was written for the site comes before what is made of folders. */
site.use(async (req, res, next) => {
  const page = req.method === 'GET' && req.path !== '/' ? await findPage(req.path) : null;
  if (page === null) return next();
  if (page.path !== decodeURIComponent(req.path)) return res.redirect(308, encodeURI(page.path));
  res.send(layout(page.title, await listLights(uniferum), writtenPage(page)));
});

async function findPage(path: string) {
  try {
    return await uniferum.pages.at(decodeURIComponent(path));
  } catch (error) {
    if (isUniferumApiError(error) && [400, 403, 404].includes(error.status)) return null;
    throw error;
  }
}

site.get('/', async (_req, res) => {
  const lights = await listLights(uniferum);
  const covers = await Promise.all(
    lights.map(async (light) => ({
      light,
      cover:
        (await readFolder(uniferum, `/lights/${light.slug}`)).pictures.find(({ name }) =>
          name.includes('dusk'),
        ) ?? null,
    })),
  );
  res.send(layout('Lights', lights, homePage(covers)));
});

site.get('/lights/:slug', async (req, res) => {
  const { slug } = req.params;
  const light = { slug, name: titleOf(slug) };
  const [lights, shown] = await Promise.all([listLights(uniferum), readFolder(uniferum, `/lights/${slug}`)]);
  res.send(layout(light.name, lights, lightPage(light, shown)));
});

site.get('/news', async (_req, res) => {
  const [lights, shown] = await Promise.all([listLights(uniferum), readFolder(uniferum, '/news')]);
  res.send(layout('News', lights, newsPage(shown)));
});

site.get('/chart-room', async (_req, res) => {
  const [lights, papers, media] = await Promise.all([
    listLights(uniferum),
    readFolder(uniferum, '/chart-room', { deep: true }),
    readFolder(uniferum, '/sound-and-film'),
  ]);
  res.send(layout('Chart room', lights, chartRoomPage(papers.others, media.others)));
});

site.get('/editor', async (_req, res) => {
  res.send(layout('Write a notice', await listLights(uniferum), plainEditorPage(UNIFERUM_URL)));
});

site.get('/editor.js', (_req, res) => {
  res.type('text/javascript').send(PLAIN_EDITOR_SCRIPT);
});

site.get('/editor/react', async (_req, res) => {
  res.send(layout('Write a notice', await listLights(uniferum), reactEditorPage(UNIFERUM_URL)));
});

site.use('/browser', express.static(new URL('../browser', import.meta.url).pathname));

/** A token for the browser of an editor. A real site asks first who is signed in. */
site.post('/picker-token', async (req, res) => {
  const origin = `${req.protocol}://${req.get('host')}`;
  if (req.get('origin') !== undefined && req.get('origin') !== origin) {
    res.status(403).end();
    return;
  }
  const token = await uniferum.pickerTokens.make({ origin, allow: ['image/*'], maxItems: 20 });
  res.set('Cache-Control', 'no-store').json(token);
});

site.use((_req, res) => {
  res
    .status(404)
    .send(layout('Not here', [], problemPage('Nothing here', 'No light shines at this address.')));
});

const answerTrouble: ErrorRequestHandler = (error, _req, res, _next) => {
  const isMissing = isUniferumApiError(error) && error.status === 404;
  if (!isMissing) console.error(error);
  const body = isMissing
    ? problemPage('Nothing here', 'No light shines at this address.')
    : problemPage('Fog', 'The library can’t be reached at the moment. Please look in again.');
  res.status(isMissing ? 404 : 503).send(layout('Trouble', [], body));
};
site.use(answerTrouble);

const server = site.listen(Number(SITE_PORT), '127.0.0.1', () => process.send?.({ ready: true }));
const end = () => server.close(() => process.exit(0));
process.on('SIGTERM', end);
process.on('SIGINT', end);
process.on('disconnect', end);
