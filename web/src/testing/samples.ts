import type { ApiKey } from '@uniferum/core/access';
import { BUCKET_DEFAULTS, type ConnectionAnswer } from '@uniferum/core/connections';
import type { StoreAnswer } from '@uniferum/core/copies';
import type { Flow } from '@uniferum/core/flow';
import type { Asset, Folder } from '@uniferum/core/library';
import type { PageReference, PageSourceAnswer, SiteAssetsAnswer } from '@uniferum/core/pages';
import type { RecipeAnswer } from '@uniferum/core/recipes';
import type { Run } from '@uniferum/core/runs';

/** Sample answers of the server, with overrides. */

export function asset(id: string, more: Partial<Asset> = {}): Asset {
  const name = more.name ?? `picture-${id}.jpg`;
  return {
    id,
    name,
    folder: { id: '2', path: '/lights' },
    kind: 'image',
    mime: 'image/jpeg',
    bytes: 120_000,
    width: 1200,
    height: 800,
    orientation: 1,
    duration: null,
    sha256: 'a'.repeat(64),
    crc32: '0badcafe',
    title: null,
    alt: null,
    caption: null,
    credit: null,
    keywords: [],
    capturedAt: null,
    capturedLocal: null,
    focal: null,
    createdAt: '2026-05-20T12:00:00.000Z',
    updatedAt: '2026-05-20T12:00:00.000Z',
    version: 1,
    url: `http://skerry.example/media/lights/${name}`,
    versionedUrl: `http://skerry.example/media/${id}.jpg?v=0123456789ab`,
    download: `http://skerry.example/api/v1/assets/${id}/content`,
    placeholder: null,
    link: null,
    visibility: null,
    uses: 0,
    renditions: [],
    copies: [],
    origin: { intake: null, by: 'Edda', via: 'console', sentAs: name },
    verdict: { name, outcome: 'accepted', reasons: [] },
    ...more,
  };
}

export function folder(path: string, more: Partial<Folder> = {}): Folder {
  return {
    id: String(path.length),
    path,
    name: path.slice(path.lastIndexOf('/') + 1),
    colour: null,
    parent: null,
    items: 3,
    bytes: 300_000,
    deepItems: 3,
    deepBytes: 300_000,
    ...more,
  };
}

export function run(id: string, more: Partial<Run> = {}): Run {
  return {
    id,
    kind: 'renditions',
    title: `Run ${id}`,
    state: 'done',
    total: 10,
    done: 10,
    failed: 0,
    skipped: 0,
    canUndo: false,
    undoOf: null,
    createdAt: '2026-05-20T12:00:00.000Z',
    startedAt: '2026-05-20T12:00:00.000Z',
    finishedAt: '2026-05-20T12:01:00.000Z',
    rate: null,
    secondsLeft: null,
    heldReason: null,
    bytes: null,
    ...more,
  };
}

export function recipe(name: string, more: Partial<RecipeAnswer> = {}): RecipeAnswer {
  return {
    name,
    title: `The ${name} one`,
    kinds: ['image'],
    folders: [],
    when: 'background',
    steps: [{ op: 'fit', mode: 'inside', width: 900, height: 900 }],
    output: { format: 'webp', quality: 80, metadata: 'rights' },
    revision: 1,
    renditions: {
      fresh: 4,
      due: 0,
      'on-request': 0,
      'not-applicable': 0,
      outdated: 0,
      failed: 0,
      surplus: 0,
    },
    sample: null,
    bytes: 80_000,
    ...more,
  };
}

export function apiKey(id: string, more: Partial<ApiKey> = {}): ApiKey {
  return {
    id,
    name: `Key ${id}`,
    origins: [],
    prefix: 'uf_abc',
    rights: ['library:read'],
    createdAt: '2026-05-20T12:00:00.000Z',
    lastUsedAt: null,
    ...more,
  };
}

export function flow(more: Partial<Flow> = {}): Flow {
  const none = { items: 0, bytes: 0 };
  return {
    sources: [{ from: 'console', amount: none }],
    verdicts: { accepted: 0, warned: 0, refused: 0 },
    library: none,
    kinds: [],
    folders: 1,
    ruledFolders: 0,
    pages: { documents: 0, references: 0, broken: 0 },
    recipes: [],
    stores: [{ store: 'server', amount: none }],
    copies: [],
    runs: { active: 0, faulty: 0 },
    ...more,
  };
}

export function pageSource(id: string, more: Partial<PageSourceAnswer> = {}): PageSourceAnswer {
  return {
    id,
    kind: 'folder',
    name: 'Guide',
    settings: { path: '/srv/guide', url: null, writable: false, watched: false },
    secretSetAt: null,
    writable: false,
    documents: 3,
    references: 12,
    broken: 1,
    indexedAt: '2026-05-20T12:00:00.000Z',
    ...more,
  } as PageSourceAnswer;
}

export function siteAssets(id: string, more: Partial<SiteAssetsAnswer> = {}): SiteAssetsAnswer {
  return {
    ...{ id, name: 'Look', folder: '/srv/look', url: 'https://skerry.example/look/', store: 'offsite' },
    ...{ rewritePages: false, release: null, releaseUrl: null, files: 0, bytes: 0, placedAt: null },
    ...more,
  };
}

export function connection(id: string, more: Partial<ConnectionAnswer> = {}): ConnectionAnswer {
  return {
    ...{ id, kind: 'bucket', name: 'Bucket' },
    settings: {
      ...BUCKET_DEFAULTS,
      ...{ endpoint: 'https://objects.example', region: 'farrow-1', bucket: 'lights', accessKey: 'keeper' },
    },
    secretSetAt: '2026-05-20T12:00:00.000Z',
    createdAt: '2026-05-20T12:00:00.000Z',
    updatedAt: '2026-05-20T12:00:00.000Z',
    ...more,
  };
}

export function store(id: string, more: Partial<StoreAnswer> = {}): StoreAnswer {
  return {
    ...{ id, name: 'offsite', kind: 'bucket', connection: { id: '1', name: 'Bucket' }, bucket: 'lights' },
    ...{ region: 'farrow-1', prefix: '', publicUrl: null, isHome: false },
    ...{ copies: 12, bytes: 1_200_000, waiting: 0, damaged: 0, auditDays: null, auditedAt: null },
    ...more,
  };
}

/** The home store. */
export const homeStore = store('home', {
  ...{ name: 'server', kind: 'disk', connection: null, bucket: null, region: null, prefix: null },
  isHome: true,
});

export function reference(id: string, more: Partial<PageReference> = {}): PageReference {
  return {
    id,
    source: '1',
    document: 'index.html',
    title: 'Home',
    url: null,
    address: '/media/a.jpg',
    attribute: 'img src',
    offset: 7,
    asset: null,
    recipe: null,
    version: null,
    reason: 'unknown',
    detail: null,
    fix: null,
    ...more,
  };
}
