import { makeFiles } from './make-files.js';
import { seed } from './seed.js';
import { seedDerived } from './seed-derived.js';
import { seedMore } from './seed-more.js';
import { seedOldNews } from './seed-old-news.js';
import { seedPages } from './seed-pages.js';
import { seedSite } from './seed-site.js';

// Makes the demo's files and fills an installation with them: `node demo/dist/main.js FOLDER URL KEY INBOX PROVIDER GUIDE`.
const [files, url, key, inbox, provider, guide] = process.argv.slice(2);
if (!files || !url || !key) throw new Error('Usage: main.js FOLDER URL KEY [INBOX PROVIDER [GUIDE]]');

let last = '';
const say = (text: string) => {
  if (text === last) return;
  last = text;
  if (process.stdout.isTTY) process.stdout.write(`\r\u001b[K  ${text}`);
  else console.log(`  ${text}`);
};
await makeFiles(files, (done, total) => {
  if (process.stdout.isTTY || done % 20 === 0 || done === total) say(`Painting ${done} of ${total} files`);
});
await seed({ files, url, key, onProgress: say });
await seedDerived({ url, key, onProgress: say });
if (inbox && provider) await seedMore({ files, url, key, inbox, provider, onProgress: say });
if (guide) await seedPages({ url, key, folder: guide, onProgress: say });
await seedSite({ url, key, onProgress: say });
const { SITE_DB_PORT: port, SITE_DB_USER: user, SITE_DB_PASSWORD: password } = process.env;
if (port && user && password !== undefined)
  await seedOldNews({
    ...{ url, key, onProgress: say },
    database: { host: '127.0.0.1', port: Number(port), user, password },
  });
if (process.stdout.isTTY) process.stdout.write('\r\u001b[K');
