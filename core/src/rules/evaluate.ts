import type { PictureNote } from '../inspection/picture-notes.js';
import { formatBeyond, formatCount } from '../intake/format.js';
import { typeByExtension } from '../intake/media-types.js';
import type { Reason, ReasonCode, Verdict } from '../intake/verdict.js';
import { cleanName, splitName } from '../library/names.js';
import { judgePicture } from './judge-picture.js';
import type { EffectiveRules, RequirableText } from './rules.js';
import { findDenial, isAllowed, shownTypes } from './types.js';

/** The facts about a file to be judged. Before it is sent these are its name and size; afterwards all of them. */
export interface FileFacts {
  name: string;
  bytes: number;
  /** The actual type by content, or before sending the type stated by the sender. */
  mime?: string | null;
  width?: number | null;
  height?: number | null;
  /** Its texts; absent when unknown. */
  texts?: readonly RequirableText[];
  /** The URL of an asset with the same bytes, null when there is none, absent when unknown. */
  duplicateOf?: string | null;
  /** The result of the folder's custom check; absent when it was not called. */
  checked?: CheckAnswer;
  /** Set when the bytes claim to be a picture but cannot be read as one. */
  unreadable?: string;
  /** What its sender is told about the picture. */
  notes?: readonly PictureNote[];
  /** Set when the picture can be read, but its embedded metadata cannot. */
  metadataFault?: string;
}

/** Limits of the whole installation, regardless of any folder's rules. */
export interface InstallationLimits {
  maxBytes: number;
  /** The maximum number of pixels to decode. */
  maxPixels: number;
}

/** The maximum side of a stored picture, which keeps derived numbers small. */
export const MAX_SIDE = 1_000_000;

/** The result of a custom check. `isAnswer` is false when there was no valid answer and the rule's fallback applies. */
export interface CheckAnswer {
  isAccepted: boolean;
  isAnswer: boolean;
  message: string | null;
}

/** The target folder. */
export interface Destination {
  path: string;
  /** The number of items in it now. */
  items: number;
}

/**
 * Judges one file by the rules of a folder. Rules about unknown facts are skipped: checks before sending and after
 * arrival use this same function.
 */
export function judgeFile(
  file: FileFacts,
  rules: EffectiveRules,
  folder: Destination,
  limits: InstallationLimits | null = null,
): Verdict {
  const refusals = [
    judgeEmptiness(file),
    ...(limits === null ? [] : judgeLimits(file, limits)),
    file.unreadable === undefined
      ? null
      : reason(
          'unreadable',
          null,
          file.mime ?? null,
          null,
          `${file.name} can't be read as a picture: ${file.unreadable}. Open it, save it again and upload it.`,
        ),
    judgeSize(file, rules),
    judgeDenial(file, rules),
    judgeAllowance(file, rules),
    judgeRoom(file, rules, folder),
    ...judgePixels(file, rules),
    ...judgeTexts(file, rules),
    judgeDuplicate(file, rules, 'refuse'),
    judgeCheck(file, rules, false),
  ].filter((found) => found !== null);
  if (refusals.length > 0) return { name: file.name, outcome: 'refused', reasons: refusals };

  const warnings = [
    judgeName(file),
    judgeMismatch(file),
    ...judgePicture(file.name, file.notes ?? []),
    judgeMetadata(file),
    judgeDuplicate(file, rules, 'warn'),
    judgeCheck(file, rules, true),
  ].filter((found) => found !== null);
  return { name: file.name, outcome: warnings.length > 0 ? 'warned' : 'accepted', reasons: warnings };
}

/** Judges files in order: each accepted file uses up capacity for the next ones. */
export function judgeBatch(
  files: readonly FileFacts[],
  rules: EffectiveRules,
  folder: Destination,
): Verdict[] {
  let { items } = folder;
  return files.map((file) => {
    const verdict = judgeFile(file, rules, { path: folder.path, items });
    if (verdict.outcome !== 'refused') items += 1;
    return verdict;
  });
}

function reason(
  code: ReasonCode,
  limit: Reason['limit'],
  actual: Reason['actual'],
  folder: string | null,
  message: string,
): Reason {
  return { code, message, limit, actual, folder };
}

function judgeEmptiness(file: FileFacts): Reason | null {
  if (file.bytes > 0) return null;
  return reason('empty', 1, 0, null, `${file.name} is empty. Check the original and upload it again.`);
}

function judgeSize(file: FileFacts, { maxBytes }: EffectiveRules): Reason | null {
  if (maxBytes === null || file.bytes <= maxBytes.value) return null;
  const { actual, allowed } = formatBeyond(file.bytes, maxBytes.value);
  const message = `${file.name} has ${actual}; ${maxBytes.from} accepts files up to ${allowed}. Reduce the file or choose another folder.`;
  return reason('too-large', maxBytes.value, file.bytes, maxBytes.from, message);
}

function judgeLimits(file: FileFacts, limits: InstallationLimits): Reason[] {
  const found: Reason[] = [];
  if (file.bytes > limits.maxBytes) {
    const { actual, allowed } = formatBeyond(file.bytes, limits.maxBytes);
    const message = `${file.name} has ${actual}; this installation accepts files up to ${allowed}.`;
    found.push(reason('too-large', limits.maxBytes, file.bytes, null, message));
  }
  const { width, height } = file;
  if (width == null || height == null) return found;
  const pixels = width * height;
  if (pixels > limits.maxPixels)
    found.push(
      reason(
        'too-many-pixels',
        limits.maxPixels,
        pixels,
        null,
        `${file.name} has ${formatCount(pixels, 'pixel')}; this installation accepts up to ${limits.maxPixels.toLocaleString('en-GB')}. Upload a smaller version.`,
      ),
    );
  else if (Math.max(width, height) > MAX_SIDE)
    found.push(
      reason(
        'too-many-pixels',
        MAX_SIDE,
        Math.max(width, height),
        null,
        `${file.name} is ${width} × ${height} pixels; the maximum side is ${MAX_SIDE.toLocaleString('en-GB')}.`,
      ),
    );
  return found;
}

function judgeMetadata({ name, metadataFault }: FileFacts): Reason | null {
  if (metadataFault === undefined) return null;
  return reason(
    'metadata-unreadable',
    null,
    null,
    null,
    `The embedded metadata of ${name} can't be read (${metadataFault}); no texts were filled from it.`,
  );
}

function judgeDenial(file: FileFacts, { deny }: EffectiveRules): Reason | null {
  const denial = findDenial(deny, shownTypes(file.name, file.mime ?? null));
  if (denial === null) return null;
  const message = `${file.name} is ${describeType(file)}; ${denial.from} denies ${denial.value}.`;
  return reason('type-denied', denial.value, actualType(file), denial.from, message);
}

function judgeAllowance(file: FileFacts, { allow }: EffectiveRules): Reason | null {
  if (allow === null || isAllowed(allow.value, shownTypes(file.name, file.mime ?? null))) return null;
  const list = allow.value.join(', ');
  const message = `${file.name} is ${describeType(file)}; ${allow.from} accepts only ${list}.`;
  return reason('type-not-allowed', list, actualType(file), allow.from, message);
}

function judgeRoom(file: FileFacts, { maxItems }: EffectiveRules, folder: Destination): Reason | null {
  if (maxItems === null || folder.items < maxItems.value) return null;
  const room = formatCount(maxItems.value, 'item');
  const message = `${file.name} does not fit: ${folder.path} contains ${folder.items} of ${room}. Move files out or choose another folder.`;
  return reason('too-many', maxItems.value, folder.items + 1, maxItems.from, message);
}

function judgePixels(file: FileFacts, rules: EffectiveRules): Reason[] {
  const { width, height } = file;
  if (width == null || height == null) return [];
  const found: Reason[] = [];
  const tooFew = (side: string, limit: EffectiveRules['minWidth'], actual: number) => {
    if (limit === null || actual >= limit.value) return;
    const message = `${file.name} is ${actual} px ${side}; ${limit.from} requires at least ${limit.value} px.`;
    found.push(reason('too-few-pixels', limit.value, actual, limit.from, message));
  };
  tooFew('wide', rules.minWidth, width);
  tooFew('high', rules.minHeight, height);
  const { maxPixels } = rules;
  if (maxPixels !== null && width * height > maxPixels.value) {
    const message = `${file.name} has ${formatCount(width * height, 'pixel')}; ${maxPixels.from} accepts up to ${maxPixels.value.toLocaleString('en-GB')}.`;
    found.push(reason('too-many-pixels', maxPixels.value, width * height, maxPixels.from, message));
  }
  return found;
}

function judgeTexts(file: FileFacts, { requireTexts }: EffectiveRules): Reason[] {
  const { texts } = file;
  if (texts === undefined) return [];
  return requireTexts
    .filter(({ value }) => !texts.includes(value))
    .map(({ value, from }) =>
      reason(
        'text-missing',
        value,
        null,
        from,
        `${file.name} has no ${value}; ${from} requires one. Send it with the file, or embed it in the file.`,
      ),
    );
}

function judgeDuplicate(
  file: FileFacts,
  { duplicates }: EffectiveRules,
  when: 'warn' | 'refuse',
): Reason | null {
  if (file.duplicateOf == null) return null;
  // Without a rule, duplicates are accepted with a warning.
  const rule = duplicates?.value ?? 'warn';
  if ((rule === 'reuse' ? 'warn' : rule) !== when) return null;
  const message =
    rule === 'reuse'
      ? `${file.name} has the same bytes as ${file.duplicateOf}. That asset is used; nothing was added.`
      : `${file.name} has the same bytes as ${file.duplicateOf}.`;
  return reason('duplicate', when, file.duplicateOf, duplicates?.from ?? null, message);
}

function judgeCheck(
  { name, checked }: FileFacts,
  { check }: EffectiveRules,
  isRemark: boolean,
): Reason | null {
  if (check === null || checked === undefined || checked.isAccepted !== isRemark) return null;
  const { isAnswer, message } = checked;
  if (isRemark && isAnswer && message === null) return null;
  const said = isAnswer
    ? `The check of ${check.from} ${isRemark ? 'accepts' : 'refuses'} ${name}: ${message ?? 'no reason given'}.`
    : `The check of ${check.from} failed for ${name} (${message}). The rule says that the file is then ${isRemark ? 'accepted' : 'refused'}.`;
  return reason('custom-check', check.value.url, message, check.from, said.replaceAll('..', '.'));
}

function judgeName(file: FileFacts): Reason | null {
  const cleaned = cleanName(file.name);
  if (cleaned === file.name) return null;
  return reason(
    'name-invalid',
    cleaned,
    file.name,
    null,
    `${file.name} is not a valid name in a URL; it was changed to ${cleaned}.`,
  );
}

function judgeMismatch(file: FileFacts): Reason | null {
  const named = typeByExtension(splitName(file.name).extension);
  if (!named || file.mime == null || named.mime === file.mime) return null;
  const message = `${file.name} has the extension of ${named.mime}, but its content is ${file.mime}. The content counts.`;
  return reason('type-mismatch', named.mime, file.mime, null, message);
}

function describeType(file: FileFacts): string {
  const { extension } = splitName(file.name);
  if (file.mime == null) return extension === '' ? 'without an extension' : `a .${extension} file`;
  return file.mime;
}

function actualType(file: FileFacts): string {
  return file.mime ?? splitName(file.name).extension;
}
