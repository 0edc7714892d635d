import { type Asset, isWithin } from '@uniferum/core/library';
import { picturesWithoutAlt } from '@uniferum/core/pages';
import type { FieldError } from '@uniferum/core/shared';
import { UniferumError } from '../shared/errors.js';
import { type PageTools, readAssets } from './resolve-page.js';
import type { PageContent, PagePatch, PageType, SlotType } from './site-page.js';

/** Checks the files of slots and regions that a change gives. @throws UniferumError `refused` with each reason */
export async function requireSlots(
  tools: PageTools,
  { slots = {}, regions = {} }: Pick<PagePatch, 'slots' | 'regions'>,
  type: PageType,
): Promise<void> {
  const entries = Object.values(regions).flat();
  const ids = [...Object.values(slots).flat(), ...entries.map(({ asset }) => asset)];
  const assets = await readAssets(tools, ids);
  const errors: FieldError[] = [];
  for (const id of new Set(ids))
    if (!assets.has(id))
      errors.push(toError('slots', 'unknown', `There is no asset ${id}, or it is in the bin.`));
  for (const [name, chosen] of Object.entries(slots)) {
    const slot = type.slots.find((one) => one.name === name);
    if (!slot) errors.push(toError(`slots.${name}`, 'unknown', unknown(type, 'slot', name)));
    else
      errors.push(
        ...judgeSlot(
          slot,
          chosen.flatMap((id) => assets.get(id) ?? []),
        ),
      );
  }
  for (const name of Object.keys(regions))
    if (!type.regions.includes(name))
      errors.push(toError(`regions.${name}`, 'unknown', unknown(type, 'region', name)));
  refuse(errors);
}

function unknown({ title }: PageType, what: string, name: string): string {
  return `Pages of the type "${title}" have no ${what} "${name}".`;
}

function judgeSlot({ name, kinds, folders, most }: SlotType, assets: readonly Asset[]): FieldError[] {
  const field = `slots.${name}`;
  const errors: FieldError[] = [];
  if (most !== null && assets.length > most)
    errors.push(
      toError(field, 'too-many', `The slot "${name}" holds at most ${most} files, not ${assets.length}.`),
    );
  for (const { name: file, kind, folder } of assets) {
    if (kinds.length > 0 && !kinds.includes(kind))
      errors.push(
        toError(field, 'kind', `${file} is of kind ${kind}. The slot "${name}" accepts ${kinds.join(', ')}.`),
      );
    if (folders.length > 0 && !folders.some((one) => isWithin(folder.path, one)))
      errors.push(
        toError(
          field,
          'folder',
          `${file} is in ${folder.path}. The slot "${name}" accepts files from ${folders.join(', ')}.`,
        ),
      );
  }
  return errors;
}

/**
 * Checks what has to be right before a page is published.
 *
 * @throws UniferumError `refused` with each reason
 */
export async function requirePublishable(
  tools: PageTools,
  { content, type }: { content: PageContent; type: PageType },
  { isForced = false }: { isForced?: boolean },
): Promise<void> {
  const errors: FieldError[] = [];
  for (const { name, least } of type.slots) {
    const count = content.slots[name]?.length ?? 0;
    if (count < least)
      errors.push(
        toError(
          `slots.${name}`,
          'too-few',
          `The slot "${name}" needs at least ${least} files; it has ${count}.`,
        ),
      );
  }
  if (!isForced) errors.push(...(await findMissingAlts(tools, content)));
  refuse(errors);
}

async function findMissingAlts(tools: PageTools, { body, slots }: PageContent): Promise<FieldError[]> {
  const untold = picturesWithoutAlt(body);
  const inSlots = Object.entries(slots).flatMap(([slot, ids]) => ids.map((id) => ({ slot, id })));
  const assets = await readAssets(tools, [
    ...untold.flatMap(({ asset }) => asset ?? []),
    ...inSlots.map(({ id }) => id),
  ]);
  const pictures = untold
    .filter(({ asset }) => !(asset && assets.get(asset)?.alt))
    .map(({ place }) =>
      toError(
        'body',
        'text-missing',
        `Picture ${place} has no alternative text. Describe it, or mark it as decorative.`,
      ),
    );
  const files = inSlots.flatMap(({ slot, id }) => {
    const asset = assets.get(id);
    if (asset === undefined || asset.kind !== 'image' || asset.alt) return [];
    return [toError(`slots.${slot}`, 'text-missing', `${asset.name} has no alternative text.`)];
  });
  return [...pictures, ...files];
}

function toError(field: string, code: string, message: string): FieldError {
  return { field, code, message };
}

function refuse(errors: readonly FieldError[]): void {
  const [first] = errors;
  if (!first) return;
  const more = errors.length > 1 ? ` (and ${errors.length - 1} more)` : '';
  throw new UniferumError('refused', `${first.message}${more}`, { errors: [...errors] });
}
