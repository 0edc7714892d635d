import { type Asset, createClient, isUniferumApiError, type UniferumClient } from '@uniferum/client';
import { LIGHTS, type Light, TRUST } from './scenario.js';

const TYPES = [
  {
    name: 'light',
    title: 'Lighthouse',
    slots: [
      {
        name: 'pictures',
        help: 'Views of the light, the best one first.',
        kinds: ['image' as const],
        least: 1,
        most: 12,
      },
      {
        name: 'downloads',
        help: 'Plans and papers to take home.',
        kinds: ['document' as const, 'vector' as const],
      },
    ],
    regions: ['main', 'side'],
  },
  {
    name: 'news',
    title: 'News item',
    slots: [{ name: 'pictures', help: 'Shown above the text.', kinds: ['image' as const], most: 3 }],
  },
];

/** Writes the pages of the Trust's site: most are published, one is a draft, and one shows a size that is not made any more. */
export async function seedSite({
  url,
  key,
  onProgress,
}: {
  url: string;
  key: string;
  onProgress: (text: string) => void;
}): Promise<void> {
  const uniferum = createClient({ baseUrl: url, key });
  onProgress('Writing the pages of the site');
  for (const type of TYPES) await uniferum.pageTypes.put(type);
  const lights = await writePage(uniferum, { title: 'Lights', slug: 'lights', body: LIGHTS_BODY });
  for (const [position, light] of LIGHTS.entries())
    await writeLight(uniferum, light, { parent: lights, position });
  await writeNews(uniferum);
  await writePage(uniferum, {
    title: 'Winter opening',
    slug: 'winter-opening',
    state: 'draft',
    body: '<p>From November the lights open on Saturdays only, weather and boat permitting. Times for each light follow.</p>',
  });
}

const LIGHTS_BODY = `<p>${TRUST} looks after eleven lights. Each has a page of its own.</p>
<figure data-gallery="grid" data-folder="/lights" data-filter="dusk kind:image" data-recipe="column"></figure>`;

interface Written {
  title: string;
  slug: string;
  body: string;
  type?: string;
  parent?: string;
  position?: number;
  slots?: Record<string, string[]>;
  state?: 'draft' | 'published';
}

/** Writes a page unless it is there. @returns its id */
async function writePage(uniferum: UniferumClient, page: Written): Promise<string> {
  try {
    return (await uniferum.pages.add({ state: 'published', ...page }, { force: true })).id;
  } catch (error) {
    if (!(isUniferumApiError(error) && error.status === 409)) throw error;
    const { items } = await uniferum.pages.list({ q: `/${page.slug}` });
    return items.find(({ slug }) => slug === page.slug)?.id ?? '';
  }
}

async function writeLight(
  uniferum: UniferumClient,
  { name, slug, built, heightMetres, about, character }: Light,
  { parent, position }: { parent: string; position: number },
): Promise<void> {
  const { items } = await uniferum.assets.list({ folder: `/lights/${slug}`, sort: 'name', limit: 50 });
  const named = (part: string) => items.find(({ name: file }) => file.includes(part));
  const [dusk, storm, plan] = [named('-dusk'), named('-storm'), named('-plan')];
  const pictures = items.filter(({ kind }) => kind === 'image').slice(0, 4);
  // A recipe that was deleted long ago.
  const recipe = slug === 'gannet-head' ? 'poster' : 'wide';
  const body = [
    `<p>${about}</p>`,
    dusk && figure(dusk, { recipe, align: 'wide', caption: `${name} at dusk.` }),
    `<h2>The tower</h2><p>Built in ${built}, ${heightMetres} metres from rock to vane. By night it showed ${character}.</p>`,
    storm && figure(storm, { recipe: 'column', align: 'right', caption: 'In a south-westerly.' }),
    plan && `<p>The <a data-asset="${plan.id}">plan of the tower</a> can be taken home.</p>`,
    `<h2>Through the year</h2><figure data-gallery="rows" data-folder="/lights/${slug}" data-filter="kind:image" data-recipe="column"></figure>`,
  ];
  await writePage(uniferum, {
    ...{ title: name, slug, type: 'light', parent, position },
    body: body.filter(Boolean).join('\n'),
    slots: { pictures: pictures.map(({ id }) => id), downloads: plan ? [plan.id] : [] },
  });
}

function figure(
  { id, alt, title }: Asset,
  { recipe, align, caption }: { recipe: string; align: string; caption: string },
): string {
  const text = (alt ?? title ?? '').replaceAll('"', '&quot;');
  return `<figure data-align="${align}"><img data-asset="${id}" data-recipe="${recipe}" alt="${text}"><figcaption>${caption}</figcaption></figure>`;
}

async function writeNews(uniferum: UniferumClient): Promise<void> {
  const news = await writePage(uniferum, {
    title: 'News',
    slug: 'news',
    body: '<p>What happened lately.</p>',
  });
  const { items } = await uniferum.assets.list({ folder: '/news', q: 'kind:image', sort: 'name', limit: 3 });
  for (const [position, picture] of items.entries())
    await writePage(uniferum, {
      ...{
        title: picture.title ?? `News ${position + 1}`,
        slug: `item-${position + 1}`,
        type: 'news',
        parent: news,
        position,
      },
      body: `<p>${picture.caption ?? 'The relief boat came back with more than it took out.'}</p>`,
      slots: { pictures: [picture.id] },
    });
  const films = await uniferum.assets.list({ folder: '/films', q: 'kind:link', limit: 1 });
  const [film] = films.items;
  if (film)
    await writePage(uniferum, {
      ...{ title: 'A film of the clockwork', slug: 'clockwork', type: 'news', parent: news, position: 9 },
      body: `<p>Wound by hand, as it was for ninety years.</p><figure><img data-asset="${film.id}" alt="Winding the clockwork"><figcaption>Nothing is loaded before you open it.</figcaption></figure>`,
    });
}
