import express from 'express';
import { describeFilm, FILMS, filmPage, filmStill } from './films.js';

// A provider of films hosted elsewhere: its pages support oEmbed discovery.
const { PROVIDER_PORT = '4283' } = process.env;
const origin = `http://127.0.0.1:${PROVIDER_PORT}`;
const provider = express();
provider.disable('x-powered-by');

const filmAt = (slug: string | undefined) => FILMS.find((film) => film.slug === slug);

provider.get('/', (_req, res) => {
  res.send(FILMS.map(({ slug, title }) => `<p><a href="/films/${slug}">${title}</a></p>`).join(''));
});

provider.get('/films/:slug', (req, res) => {
  const film = filmAt(req.params.slug);
  if (film) res.send(filmPage(film, origin));
  else res.status(404).send('There is no such film.');
});

provider.get('/oembed', (req, res) => {
  const film = filmAt(
    String(req.query.url ?? '')
      .split('/')
      .at(-1),
  );
  if (film) res.json(describeFilm(film, origin));
  else res.status(404).json({ error: 'There is no such film.' });
});

provider.get('/stills/:name', (req, res) => {
  const film = filmAt(req.params.name.replace(/\.svg$/, ''));
  if (film) res.type('image/svg+xml').send(filmStill(film));
  else res.status(404).end();
});

const server = provider.listen(Number(PROVIDER_PORT), '127.0.0.1', () => process.send?.({ ready: true }));
for (const signal of ['SIGTERM', 'SIGINT', 'disconnect'] as const)
  process.on(signal, () => {
    server.closeAllConnections();
    server.close(() => process.exit(0));
  });
