import type { Kind } from '@uniferum/core/library';
import type { PageTypeAnswer, SlotAnswer } from '@uniferum/core/pages';

/** A slot as it is typed. */
export interface SlotForm {
  name: string;
  help: string;
  kinds: Kind[];
  /** Paths, separated by commas. */
  folders: string;
  least: string;
  most: string;
}

/** A page type as it is typed. */
export interface PageTypeForm {
  name: string;
  title: string;
  /** Names, separated by commas. */
  regions: string;
  slots: SlotForm[];
}

export const EMPTY_SLOT: SlotForm = { name: '', help: '', kinds: [], folders: '', least: '0', most: '' };

export const EMPTY_TYPE: PageTypeForm = { name: '', title: '', regions: 'main', slots: [] };

/** Names of types, slots and regions are parts of API calls. */
export const TYPE_NAME = /^[a-z][a-z0-9-]{0,59}$/;

export function fromPageType({ name, title, regions, slots }: PageTypeAnswer): PageTypeForm {
  return {
    ...{ name, title, regions: regions.join(', ') },
    slots: slots.map((slot) => ({
      ...{ name: slot.name, help: slot.help ?? '', kinds: slot.kinds, folders: slot.folders.join(', ') },
      ...{ least: String(slot.least), most: slot.most === null ? '' : String(slot.most) },
    })),
  };
}

export function toPageType({ name, title, regions, slots }: PageTypeForm): PageTypeAnswer {
  return { name: name.trim(), title: title.trim(), regions: listOf(regions), slots: slots.map(toSlot) };
}

function toSlot({ name, help, kinds, folders, least, most }: SlotForm): SlotAnswer {
  return {
    ...{ name: name.trim(), help: help.trim() || null, kinds: kinds || [], folders: listOf(folders) },
    ...{ least: Number(least) || 0, most: most === '' ? null : Number(most) },
  };
}

function listOf(text: string): string[] {
  return [...new Set(text.split(',').map((part) => part.trim()))].filter((part) => part !== '');
}

/** What is wrong with the limits of a slot, in a sentence; undefined when nothing. */
export function limitsFault({ least, most }: Pick<SlotForm, 'least' | 'most'>): string | undefined {
  return most !== '' && Number(most) < Number(least)
    ? 'The maximum must not be less than the minimum.'
    : undefined;
}
