import type { Asset, Page } from '@uniferum/core/library';
import { isUniferumApiError, UniferumApiError } from './errors.js';
import type { CallOptions, Http } from './http.js';
import { type UploadRequest, type UploadResult, uploadFiles } from './upload.js';
import { digestOf, prepareData, type UploadData } from './upload-data.js';

/** Where an asset is, or what is in it. */
export type AssetPlace = { path: string } | { sha256: string };

/** @throws UniferumApiError with status 404 when there is none */
export async function getAsset(http: Http, which: string | AssetPlace, call: CallOptions): Promise<Asset> {
  if (typeof which === 'string') return http.json<Asset>(`/assets/${which}`, call);
  const found = await findAsset(http, which, call);
  if (found) return found;
  const [what] = Object.values(which);
  throw new UniferumApiError({
    ...{ type: 'urn:uniferum:problem:not-found', title: 'Not found', status: 404, code: 'not-found' },
    detail: `${what} is not in the library.`,
  });
}

async function findAsset(http: Http, place: AssetPlace, call: CallOptions): Promise<Asset | undefined> {
  const query =
    'sha256' in place
      ? { q: `sha256:${place.sha256}`, deep: true, limit: 1 }
      : { ...splitPath(place.path), limit: 1 };
  try {
    return (await http.json<Page<Asset>>('/assets', { ...call, query })).items[0];
  } catch (error) {
    if (isUniferumApiError(error) && error.status === 404) return undefined;
    throw error;
  }
}

/** @throws TypeError when it is not the path of a file */
function splitPath(path: string): { folder: string; name: string } {
  const slash = path.lastIndexOf('/');
  const name = path.slice(slash + 1);
  if (name === '') throw new TypeError(`Pass the path of a file, such as /lights/dusk.jpg, not "${path}".`);
  return { folder: path.slice(0, Math.max(0, slash)) || '/', name };
}

/** What became of a file that was put at a place. */
export interface PutResult {
  asset: Asset;
  /** `reused`: by a rule of the folder, an asset with the same bytes elsewhere stands for it, and nothing was added. */
  action: 'created' | 'replaced' | 'unchanged' | 'reused';
}

/**
 * Makes sure that some bytes are at a place. What is there already is not sent where its digest can be computed.
 *
 * @throws UniferumApiError with a verdict when a rule refuses them, or the address was that of another file
 */
export async function putAsset(
  http: Http,
  path: string,
  data: UploadData,
  call: CallOptions & Pick<UploadRequest, 'onProgress'>,
): Promise<PutResult> {
  const { folder, name } = splitPath(path);
  const prepared = await prepareData(data, name);
  if (prepared.kind === 'address')
    throw new TypeError("An address can't be put at a place. Fetch it, and pass the response.");
  try {
    const there = await findAsset(http, { path }, call);
    if (there) return await replaceIfDifferent(http, there, prepared.data, call);
    const files = [{ data: prepared.data, name }];
    const [sent] = await uploadFiles(http, { ...call, folder, files, rename: false });
    if (sent?.asset) {
      const isThere = sent.asset.name === name && sent.asset.folder.path === folder;
      // The library may have changed the name.
      const isCreated = isThere || (await findAsset(http, { path }, call))?.id === sent.asset.id;
      return { asset: sent.asset, action: isCreated ? 'created' : 'reused' };
    }
    // Somebody else may have created it meanwhile.
    const isTaken = sent?.verdict.reasons.some(({ code }) => code === 'name-taken');
    const other = isTaken ? await findAsset(http, { path }, call) : undefined;
    if (other) return await replaceIfDifferent(http, other, prepared.data, call);
    throw refused(name, sent);
  } finally {
    await prepared.release();
  }
}

async function replaceIfDifferent(
  http: Http,
  there: Asset,
  data: Blob,
  call: CallOptions & Pick<UploadRequest, 'onProgress'>,
): Promise<PutResult> {
  if ((await digestOf(data)) === there.sha256) return { asset: there, action: 'unchanged' };
  const asset = await replaceContent(http, there.id, data, call);
  call.onProgress?.(data.size);
  return { asset, action: asset.version === there.version ? 'unchanged' : 'replaced' };
}

function refused(name: string, result: UploadResult | undefined): UniferumApiError {
  const reasons = result?.verdict.reasons.map(({ message }) => message).join(' ') ?? '';
  return new UniferumApiError({
    ...{ type: 'urn:uniferum:problem:refused', title: 'A rule refuses it', status: 422, code: 'refused' },
    detail: reasons || `${name} was refused.`,
    ...(result && { verdict: result.verdict }),
  });
}

/** Replaces the bytes at the same URL. */
export function replaceContent(http: Http, id: string, data: Blob, call: CallOptions): Promise<Asset> {
  return http.json<Asset>(`/assets/${id}/content`, {
    ...call,
    method: 'PUT',
    body: data,
    headers: { 'Content-Type': 'application/octet-stream' },
    hasTimeout: false,
  });
}
