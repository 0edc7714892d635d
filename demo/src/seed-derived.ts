import { createClient, isUniferumApiError, type RecipeRequest, type UniferumClient } from '@uniferum/client';

const TEASER: RecipeRequest & { name: string } = {
  name: 'teaser',
  title: 'Teaser of the old front page',
  folders: ['/news'],
  steps: [{ op: 'fit', width: 320, height: 180, mode: 'cover' }],
  output: { format: 'jpeg', quality: 75, metadata: 'none' },
};

const PANORAMA: RecipeRequest & { name: string } = {
  name: 'panorama',
  title: 'Panorama, for the gallery of a light',
  folders: ['/lights/gannet-head', '/lights/whin-ness'],
  steps: [
    { op: 'crop', aspect: '21:9', around: 'focal' },
    { op: 'fit', width: 1400, mode: 'inside' },
    { op: 'contrast', amount: 1.05 },
  ],
  output: { format: 'jpeg', quality: 78, metadata: 'rights' },
};

const SEALED: RecipeRequest & { name: string } = {
  name: 'sealed',
  title: 'With our seal, for the press',
  folders: ['/news'],
  when: 'on-request',
  steps: [
    { op: 'fit', width: 1400, mode: 'inside' },
    {
      op: 'watermark',
      picture: '/marks/seal.svg',
      size: 12,
      margin: 3,
      opacity: 0.85,
      place: 'bottom-right',
    },
  ],
  output: { format: 'jpeg', quality: 84, metadata: 'rights' },
};

/** The seal of the trust: a light over two waves. */
const SEAL = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 200" width="200" height="200"><circle cx="100" cy="100" r="92" fill="#f7f3ea" stroke="#95371f" stroke-width="8"/><path d="M88 132 L93 68 H107 L112 132 Z" fill="#95371f"/><path d="M90 66 H110 L107 52 H93 Z" fill="#274656"/><path d="M90 58 L40 44 V72 Z M110 58 L160 44 V72 Z" fill="#d8a53c"/><path d="M36 138 q16 -12 32 0 t32 0 t32 0 t32 0 M46 154 q14 -10 27 0 t27 0 t27 0 t27 0" fill="none" stroke="#274656" stroke-width="6"/></svg>`;

/** Creates renditions in every state: outdated by an edit, surplus from a deleted recipe, created on request. */
export async function seedDerived({
  url,
  key,
  onProgress,
}: {
  url: string;
  key: string;
  onProgress: (text: string) => void;
}): Promise<void> {
  const uniferum = createClient({ baseUrl: url, key });
  onProgress('Trying recipes out');
  await uniferum.assets.upload({
    folder: '/marks',
    files: [{ name: 'seal.svg', data: new Blob([SEAL], { type: 'image/svg+xml' }) }],
    idempotencyKey: 'demo-seal',
  });
  await makeUnlessThere(uniferum, SEALED);
  if (await makeUnlessThere(uniferum, PANORAMA)) {
    await rebuildAll(uniferum, PANORAMA.name);
    const { name, ...recipe } = PANORAMA;
    const wider = recipe.steps.map((step) => (step.op === 'fit' ? { ...step, width: 1600 } : step));
    await uniferum.recipes.put(name, { ...recipe, steps: wider });
  }
  if (await makeUnlessThere(uniferum, TEASER)) {
    await rebuildAll(uniferum, TEASER.name);
    const { items } = await uniferum.assets.list({ folder: '/news', limit: 3 });
    for (const { renditions } of items)
      for (const { recipe, url: address } of renditions)
        if (recipe === TEASER.name && address !== null) await (await fetch(address)).arrayBuffer();
    await uniferum.recipes.remove(TEASER.name);
  }
}

/** @returns whether it was made now */
async function makeUnlessThere(
  uniferum: UniferumClient,
  recipe: RecipeRequest & { name: string },
): Promise<boolean> {
  const { name } = recipe;
  // A recipe that was deleted on purpose is not created again.
  if (name === TEASER.name && (await uniferum.renditions.surplus({ recipe: name, limit: 1 })).total > 0)
    return false;
  try {
    await uniferum.recipes.make(recipe);
    return true;
  } catch (error) {
    if (!isUniferumApiError(error) || error.status !== 409) throw error;
    return false;
  }
}

async function rebuildAll(uniferum: UniferumClient, name: string): Promise<void> {
  const { run } = await uniferum.recipes.rebuild({ recipes: [name], only: 'missing' });
  await uniferum.runs.wait(run.id);
}
