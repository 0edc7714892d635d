import { type AssetTexts, parseFolderPath, ROOT_PATH, TEXT_LIMITS } from '@uniferum/core/library';
import type { Fields } from '../inspection/multipart.js';
import { UniferumError } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import type { IncomingFile } from './incoming.js';

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
  ...['folder', 'title', 'alt', 'caption', 'credit', 'keywords', 'intake', 'unpack', 'ownFolder', 'rename'],
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

/** @throws UniferumError `right-missing` for a token, `malformed-request` for fields that archives don't have */
export function requireUnpackable({ scope }: Principal, fields: Fields): void {
  if (scope) throw new UniferumError('right-missing', "A token can't be used to unpack archives.");
  if (readMustKeepName(fields))
    throw new UniferumError(
      'malformed-request',
      'Files of an archive are always renamed when their names are taken. Leave "rename" out.',
    );
}

/** Whether files must keep their names. @throws UniferumError `malformed-request` */
export function readMustKeepName(fields: Fields): boolean {
  const rename = fields.get('rename') ?? 'true';
  if (rename === 'true' || rename === 'false') return rename === 'false';
  throw new UniferumError('malformed-request', `"rename" is true or false, not "${rename.slice(0, 60)}".`, {
    errors: [{ field: 'rename', code: 'boolean', message: 'true or false' }],
  });
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

/** A file with the fields that were sent before it. @throws UniferumError `malformed-request` */
export function incomingFile(name: string, folder: string, fields: Fields): IncomingFile {
  return { name, folder, texts: readTexts(fields), mustKeepName: readMustKeepName(fields) };
}

/** Requires that no field came after the files that it is about. @throws UniferumError `malformed-request` */
export function requireInTime(
  fields: Fields,
  { isUnpacked, mayRename }: { isUnpacked: boolean; mayRename: boolean },
): void {
  if (fields.get('unpack') === 'true' && !isUnpacked) throw tooLate('unpack', 'archive');
  if (readMustKeepName(fields) && mayRename) throw tooLate('rename', 'file');
}

function tooLate(field: string, what: string): UniferumError {
  return new UniferumError('malformed-request', `Send the field "${field}" before the ${what}.`, {
    errors: [{ field, code: 'too-late', message: 'it has to come before the file' }],
  });
}
