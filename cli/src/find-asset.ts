import { type Asset, isUniferumApiError } from '@uniferum/client';
import type { CliContext } from './context.js';

/** The asset at a path of the library, if there is one. */
export async function findAsset({ client }: CliContext, path: string): Promise<Asset | undefined> {
  try {
    return await client.assets.get({ path });
  } catch (error) {
    if (!isMissing(error)) throw error;
    return undefined;
  }
}

/** Tells whether an error means that what was asked for is not there. */
export function isMissing(error: unknown): boolean {
  return isUniferumApiError(error) && error.status === 404;
}
