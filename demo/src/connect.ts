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
