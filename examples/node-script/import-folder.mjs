// Imports a folder of photographs: what is new or has changed is sent, the rest is left alone. Writes a table of addresses.
//   node examples/node-script/import-folder.mjs photos /lights/new [recipe] > addresses.csv
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { createClient, isUniferumApiError } from '@uniferum/client';

const [from, to, recipe] = process.argv.slice(2);
if (!from || !to) {
  console.error('Pass a folder here, and a folder of the library.');
  process.exit(2);
}
const uniferum = createClient({ baseUrl: process.env.UNIFERUM_URL, key: process.env.UNIFERUM_KEY });
const quoted = (text) => `"${String(text).replaceAll('"', '""')}"`;
const counts = { created: 0, replaced: 0, unchanged: 0, refused: 0 };

console.log('name,address,rendition');
for (const name of (await readdir(from)).sort()) {
  if (!/\.(?:jpe?g|png|webp|heic|tiff?)$/i.test(name)) continue;
  try {
    const { asset, action } = await uniferum.assets.put(`${to}/${name}`, join(from, name));
    counts[action] += 1;
    const [rendition] = recipe ? await uniferum.renditions.wait(asset, { recipes: [recipe] }) : [];
    console.log([name, asset.url, rendition?.url ?? ''].map(quoted).join(','));
  } catch (error) {
    // The verdict says why; the others are sent all the same.
    if (!isUniferumApiError(error) || error.status !== 422) throw error;
    counts.refused += 1;
    console.error(`${name}: ${error.message}`);
  }
}
console.error(
  Object.entries(counts)
    .map(([what, count]) => `${count} ${what}`)
    .join(', '),
);
process.exitCode = counts.refused > 0 ? 1 : 0;
