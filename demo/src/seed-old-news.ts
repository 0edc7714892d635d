import { createClient } from '@uniferum/client';
import { createConnection } from 'mysql2/promise';
import { LIGHTS } from './scenario.js';

/** The database with the older content of the site. */
export interface SiteDatabase {
  host: string;
  port: number;
  user: string;
  password: string;
}

const DATABASE = 'skerry_site';
const NAME = 'Older news';

/**
 * Fills the site's own database with news of earlier years, whose addresses are those of an older site: some lead to
 * files of today, some to what was moved, some to nothing.
 */
export async function seedOldNews({
  url,
  key,
  database,
  onProgress,
}: {
  url: string;
  key: string;
  database: SiteDatabase;
  onProgress: (text: string) => void;
}): Promise<void> {
  onProgress('Filling the site’s own database with older news');
  const connection = await createConnection(database);
  try {
    await connection.query(`CREATE DATABASE IF NOT EXISTS ${DATABASE} CHARACTER SET utf8mb4`);
    await connection.query(
      `CREATE TABLE IF NOT EXISTS ${DATABASE}.news (
         id INT PRIMARY KEY, slug VARCHAR(80) NOT NULL, title VARCHAR(120) NOT NULL, body MEDIUMTEXT NOT NULL,
         written DATE NOT NULL)`,
    );
    const rows = Array.from({ length: 44 }, (_, n) => newsOf(n, url));
    await connection.query(`INSERT IGNORE INTO ${DATABASE}.news (id, slug, title, body, written) VALUES ?`, [
      rows,
    ]);
  } finally {
    await connection.end();
  }
  const uniferum = createClient({ baseUrl: url, key });
  const { items } = await uniferum.sources.list();
  const { password, ...place } = database;
  const source =
    items.find(({ name }) => name === NAME) ??
    (await uniferum.sources.add({
      ...{ kind: 'database', name: NAME, secret: password },
      settings: {
        ...{ ...place, database: DATABASE, table: 'news', key: 'id', titleColumn: 'title' },
        columns: [{ name: 'body' }],
        url: 'https://www.skerry.example/archive/{slug}',
        writable: true,
      },
    }));
  await uniferum.runs.wait((await uniferum.sources.index(source.id)).run.id);
}

const EVENTS = ['Painted anew', 'A night of open doors', 'The lamp turns again', 'Storm damage mended'];

function newsOf(
  n: number,
  url: string,
): [id: number, slug: string, title: string, body: string, written: string] {
  const light = LIGHTS[n % LIGHTS.length] ?? LIGHTS[0];
  const event = EVENTS[n % EVENTS.length] ?? '';
  const { slug = '', name = '' } = light ?? {};
  const year = 2014 + Math.floor(n / 4);
  const pictures = [
    `${url}/media/lights/${slug}/${slug}-day.jpg`,
    `https://old.skerry.example/files/${slug}-day.jpg`,
    `/media/archive/${year}/${slug}-${n}.jpg`,
    `${url}/media/lights/${slug}/${slug}-dusk~wide.jpg`,
  ];
  const body = `<p>${event} at ${name}, in the spring of ${year}.</p>\n<p><img src="${pictures[n % 4]}" alt="${name}"></p>\n<p><a href="https://old.skerry.example/lights/${slug}.html">About ${name}</a></p>\n`;
  return [
    n + 1,
    `${year}-${slug}-${n + 1}`,
    `${name}: ${event.toLowerCase()}`,
    body,
    `${year}-04-${String(1 + (n % 28)).padStart(2, '0')}`,
  ];
}
