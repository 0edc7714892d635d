import { type AssetTexts, parseFolderPath, ROOT_PATH, TEXT_LIMITS } from '@uniferum/core/library';
import type { Fields } from '../inspection/multipart.js';
import { UniferumError } from '../shared/errors.js';

/** Requires that nothing was sent that would be ignored. @throws UniferumError `malformed-request` */
export function requireKnownFields(fields: Fields): void {
  const unknown = [...fields.keys()].find((name) => !KNOWN_FIELDS.has(name));
  if (unknown === undefined) return;
  const shown = unknown.slice(0, 60);
  throw new UniferumError('malformed-request', `There is no field "${shown}".`, {
    errors: [
      {
        ...{ field: shown, code: 'unknown-field' },
        message: `The fields are ${[...KNOWN_FIELDS].join(', ')}; files are sent as "file".`,
      },
    ],
  });
}

const KNOWN_FIELDS = new Set([
  ...['folder', 'title', 'alt', 'caption', 'credit', 'keywords', 'intake', 'unpack', 'ownFolder'],
]);

/** The folder that fields name. @throws UniferumError `malformed-request` */
export function readFolder(fields: Fields): string {
  const folder = parseFolderPath(fields.get('folder') ?? ROOT_PATH);
  if (!folder.ok)
    throw new UniferumError('malformed-request', `The folder is invalid: ${folder.reason}.`, {
      errors: [{ field: 'folder', code: 'folder-path', message: folder.reason }],
    });
  return folder.path;
}

export function readTexts(fields: Fields): Partial<AssetTexts> {
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const) {
    const value = fields.get(field)?.trim();
    if (value) texts[field] = value;
  }
  const keywords = fields.get('keywords')?.split(',', TEXT_LIMITS.keywords + 1);
  if (keywords) texts.keywords = keywords.map((word) => word.trim()).filter((word) => word !== '');
  return texts;
}
