import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { type Asset, createClient, type UniferumClient } from '@uniferum/client';
import { LIGHTS, TRUST } from './scenario.js';

const NAME = 'Keeper’s guide';

/** Writes a guide to the lights as a folder of Markdown, with a few addresses that lead nowhere, and indexes it. */
export async function seedPages({
  url,
  key,
  folder,
  onProgress,
}: {
  url: string;
  key: string;
  folder: string;
  onProgress: (text: string) => void;
}): Promise<void> {
  const uniferum = createClient({ baseUrl: url, key });
  onProgress('Writing the keeper’s guide');
  await mkdir(join(folder, 'lights'), { recursive: true });
  for (const light of LIGHTS) {
    const pictures = await uniferum.assets.list({
      folder: `/lights/${light.slug}`,
      q: 'kind:image',
      limit: 4,
    });
    await writeFile(join(folder, 'lights', `${light.slug}.md`), lightPage(light, pictures.items));
  }
  await writeFile(join(folder, 'index.html'), indexPage(url));
  await writeFile(
    join(folder, 'guide.css'),
    `body { background: url('${url}/media/brand/paper-texture.png'); }\n`,
  );
  await writeFile(join(folder, 'feed.json'), feed(url));
  await writeAssets(join(folder, 'assets'));
  await indexGuide(uniferum, folder);
}

/** What the guide looks like: placed in a store, it keeps its looks wherever it is served. */
async function writeAssets(folder: string): Promise<void> {
  await mkdir(join(folder, 'look'), { recursive: true });
  await writeFile(
    join(folder, 'look/guide.css'),
    "h1 { background: url('/assets/lamp.svg') no-repeat left; padding-left: 2.5rem; }\n",
  );
  await writeFile(
    join(folder, 'lamp.svg'),
    '<svg xmlns="http://www.w3.org/2000/svg" width="32" height="32"><circle cx="16" cy="16" r="9" fill="#d7a24a"/></svg>\n',
  );
  await writeFile(
    join(folder, 'guide.js'),
    "for (const link of document.querySelectorAll('a')) link.rel = 'bookmark';\n",
  );
}

async function indexGuide(uniferum: UniferumClient, folder: string): Promise<void> {
  const { items } = await uniferum.sources.list();
  const settings = { path: folder, url: 'https://guide.skerry.example/' };
  const source =
    items.find(({ name }) => name === NAME) ?? (await uniferum.sources.add({ name: NAME, settings }));
  const { run } = await uniferum.sources.index(source.id);
  await uniferum.runs.wait(run.id);
}

function lightPage(
  { name, slug, built, about }: (typeof LIGHTS)[number],
  pictures: readonly Asset[],
): string {
  const shown = pictures.map(({ url, alt, title, renditions }) => {
    const made = renditions.find((one) => one.url !== null && one.variant === null);
    return `[![${alt ?? title ?? name}](${made?.url ?? url})](${url})`;
  });
  return `---
title: ${name}
built: ${built}
---

# ${name}

${about}

${shown.join('\n\n')}

<p>Plan of the tower: <a href="${planOf(slug)}">elevation</a></p>
`;
}

/** Two pages still point at the place where plans used to be. */
function planOf(slug: string): string {
  const isOld = ['the-maiden', 'gannet-head'].includes(slug);
  return isOld ? `/media/plans/${slug}-elevation.svg` : `/media/lights/${slug}/${slug}-plan.svg`;
}

/** Its poster has a size that no longer exists. */
function indexPage(url: string): string {
  const links = LIGHTS.map(({ slug, name }) => `<li><a href="lights/${slug}.html">${name}</a></li>`);
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>${TRUST}: the keeper’s guide</title>
<link rel="stylesheet" href="guide.css">
<meta property="og:image" content="${url}/media/lights/gannet-head/gannet-head-dusk~poster.jpg"></head>
<body><h1>The keeper’s guide</h1><ul>${links.join('')}</ul></body>
</html>
`;
}

function feed(url: string): string {
  const items = LIGHTS.slice(0, 3).map(({ slug, name }) => ({
    title: name,
    image: `${url}/media/lights/${slug}/${slug}-day.jpg`,
    content_html: `<img src="${url}/media/lights/${slug}/${slug}-night.jpg" alt="${name} at night">`,
  }));
  return `${JSON.stringify({ version: 'https://jsonfeed.org/version/1.1', title: 'The keeper’s guide', items }, null, 2)}\n`;
}
