import { API_BASE } from './route.js';

/** Where the path says less than a person would. */
const NAMED: Readonly<Record<string, string>> = {
  'get /health/live': 'getLiveness',
  'get /metrics': 'getMetrics',
  'get /health': 'getHealthAtRoot',
  'get /api/v1/openapi.json': 'getOpenApi',
  'get /iiif/3/{id}': 'redirectToPicture',
  'get /iiif/3/{id}/info.json': 'describePicture',
  'get /iiif/3/{id}/{region}/{size}/{rotation}/{file}': 'getPicture',
  'get /made/{id}/{signature}/{spec}': 'getMadePicture',
  'get /media/{path*}': 'getMedia',
  'post /api/v1/assets': 'uploadAssets',
  'post /api/v1/assets/from-address': 'importAsset',
  'post /api/v1/assets/bulk': 'changeAssets',
  'get /api/v1/assets/duplicates': 'findDuplicates',
  'get /api/v1/assets/facets': 'countFacets',
  'get /api/v1/assets/optimised': 'getOptimisedTotals',
  'post /api/v1/assets/{id}/address': 'createRenditionAddress',
  'put /api/v1/assets/{id}/content': 'replaceAssetContent',
  'post /api/v1/connections/test': 'testNewConnection',
  'post /api/v1/copies': 'changeCopies',
  'get /api/v1/events': 'streamEvents',
  'post /api/v1/inbox/register': 'importFromInbox',
  'post /api/v1/intake/addresses': 'importAddresses',
  'post /api/v1/intake/manifest': 'importManifest',
  'post /api/v1/intake/check': 'checkFiles',
  'post /api/v1/intakes/{id}/check': 'checkFilesOfIntake',
  'get /api/v1/pages/at': 'getPageAt',
  'put /api/v1/pages/{id}/editing': 'announceEditing',
  'get /api/v1/pages/{id}/slots/{slot}': 'listSlotAssets',
  'get /api/v1/pages/{id}/slots/{slot}/first': 'getFirstOfSlot',
  'get /api/v1/recipes/export': 'exportRecipes',
  'get /api/v1/recipes/matrix': 'listRenditionMatrix',
  'post /api/v1/recipes/preview': 'previewRecipe',
  'post /api/v1/recipes/rebuild': 'rebuildRenditions',
  'get /api/v1/recipes/schema.json': 'getRecipeSchema',
  'get /api/v1/references/report': 'exportReferences',
  'get /api/v1/renditions/surplus': 'listSurplusRenditions',
  'post /api/v1/renditions/surplus/remove': 'removeSurplusRenditions',
  'post /api/v1/rewrites': 'rewriteAddresses',
  'get /api/v1/runs/failures': 'listFailures',
  'post /api/v1/runs/failures/retry': 'retryFailures',
  'post /api/v1/session': 'signIn',
  'delete /api/v1/session': 'signOut',
  'get /api/v1/settings/metadata': 'getMetadataMapping',
  'put /api/v1/settings/metadata': 'setMetadataMapping',
  'get /api/v1/stores/{id}/audit': 'listAuditFindings',
  'post /api/v1/uploads': 'startUpload',
  'head /api/v1/uploads/{id}': 'getUploadOffset',
  'patch /api/v1/uploads/{id}': 'continueUpload',
  'delete /api/v1/uploads/{id}': 'cancelUpload',
  'options /api/v1/uploads': 'describeUploads',
};

/** Last words of paths that say what a POST does. */
const ACTIONS = new Set(
  'restore stop resume retry undo test index audit repair place rebuild preview import check remove empty register optimise fix'.split(
    ' ',
  ),
);
const VERBS: Readonly<Record<string, string>> = {
  get: 'get',
  head: 'check',
  post: 'create',
  put: 'set',
  patch: 'update',
  delete: 'delete',
  options: 'describe',
};
/** Words whose last letter is no plural. */
const SINGULARS: Readonly<Record<string, string>> = {
  copies: 'copy',
  addresses: 'address',
  access: 'access',
  matches: 'match',
};

/**
 * The name of a call as a person would choose it: `listAssets`, `getAsset`, `restoreAssetVersion`.
 *
 * @param isList whether it answers a list
 */
export function operationIdOf({
  method,
  path,
  isList,
}: {
  method: string;
  path: string;
  isList: boolean;
}): string {
  const named = NAMED[`${method} ${path}`];
  if (named !== undefined) return named;
  const isAtRoot = !path.startsWith(`${API_BASE}/`);
  const steps = (isAtRoot ? path : path.slice(API_BASE.length)).split('/').filter((step) => step !== '');
  const last = steps.at(-1) ?? '';
  const isAction = method === 'post' && ACTIONS.has(last);
  if (isAction) steps.pop();
  const nouns = steps.flatMap((step, n) => {
    if (step.startsWith('{')) return [];
    // A list, unless one of it is chosen.
    const isOne = steps[n + 1]?.startsWith('{') || (n === steps.length - 1 && method === 'post' && !isAction);
    return isOne ? [singular(step)] : [step];
  });
  const verb = isAction ? last : isList && method === 'get' ? 'list' : (VERBS[method] ?? method);
  const words = nouns.flatMap((noun) => noun.split(/[^A-Za-z0-9]+/)).filter((word) => word !== '');
  return [verb, ...words.map((word) => (word[0] ?? '').toUpperCase() + word.slice(1))].join('');
}

function singular(noun: string): string {
  const words = noun.split('-');
  const last = words.pop() ?? '';
  const one = SINGULARS[last] ?? (/[^s]s$/.test(last) ? last.slice(0, -1) : last);
  return [...words, one].join('-');
}
