import { createClient, type NewConnection } from '@uniferum/client';
import { TRUST } from './scenario.js';

// Connects an installation to the bucket store of the demo, whose address changes at every start:
// `node demo/dist/connect.js URL KEY BUCKET_URL ACCESS_KEY SECRET`.
const [url, key, endpoint, accessKey, secret] = process.argv.slice(2);
if (!url || !key || !endpoint || !accessKey || !secret)
  throw new Error('Usage: connect.js URL KEY BUCKET_URL ACCESS_KEY SECRET');

const uniferum = createClient({ baseUrl: url, key });
const account = { endpoint, region: 'farrow-1', accessKey };
const wanted: NewConnection[] = [
  {
    name: `${TRUST}: public media`,
    settings: { ...account, bucket: 'skerry-media', prefix: 'site/', publicUrl: `${endpoint}/skerry-media` },
    secret,
  },
  { name: `${TRUST}: private originals`, settings: { ...account, bucket: 'skerry-private' }, secret },
];
const { items } = await uniferum.connections.list();
for (const connection of wanted) {
  const known = items.find(({ name }) => name === connection.name);
  if (known) await uniferum.connections.change(known.id, connection);
  else await uniferum.connections.add(connection);
}

/** The style sheets and scripts of the guide, served from the public bucket. */
async function placeGuide(): Promise<void> {
  const guide = (await uniferum.sources.list()).items.find(({ kind }) => kind === 'folder');
  if (guide?.kind !== 'folder') return;
  const { id } = await uniferum.siteAssets.add({
    ...{ name: 'Look of the guide', store: 'media', url: 'https://guide.skerry.example/assets/' },
    folder: `${guide.settings.path}/assets`,
  });
  await uniferum.siteAssets.place(id);
}

/** The stores that hold copies, and what is placed in them; set up once, so that changes of people stay. */
const connections = (await uniferum.connections.list()).items;
const stores = (await uniferum.stores.list()).items;
const idOf = (name: string) => connections.find((one) => one.name.endsWith(name))?.id ?? '';
if (stores.length === 1) {
  await uniferum.stores.add({ name: 'media', connection: idOf('public media'), auditDays: 7 });
  await uniferum.stores.add({ name: 'originals', connection: idOf('private originals'), auditDays: 7 });
  const folders = (await uniferum.folders.list({ limit: 500 })).items;
  const folderOf = (path: string) => folders.find((folder) => folder.path === path)?.id;
  const [lights, news] = [folderOf('/lights'), folderOf('/news')];
  if (lights) await uniferum.copies.place(lights, { stores: ['originals'] });
  if (news) await uniferum.copies.place(news, { stores: ['originals', 'media'] });
  await placeGuide();
}
