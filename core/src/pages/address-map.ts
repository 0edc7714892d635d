import Papa from 'papaparse';
import {
  isRooted,
  joinAddress,
  normalizeAddress,
  resolveAddress,
  scopeOf,
  splitAddress,
  writeLike,
} from './address.js';
import { baseOf, type FoundReferences, type Reference, targetOf } from './reference.js';

/** Where an old address leads now. */
export interface AddressPair {
  from: string;
  to: string;
}

/** How addresses are replaced: each by its own, or all below one by those below another. */
export interface AddressRules {
  pairs?: readonly AddressPair[];
  /** `https://old.example/files/` → `https://new.example/media/`; the longest that fits counts. */
  prefixes?: readonly AddressPair[];
}

const MAX_KNOWN = 20_000;

/** The new addresses of many old ones, looked up by one key each. */
export class AddressMap {
  readonly #exact = new Map<string, string>();
  readonly #prefixes: AddressPair[];
  readonly #site: string;
  /** What is known of addresses in documents of the site that was looked at last. */
  #known = { site: '', replacements: new Map<string, string | null>() };

  /** @param site the absolute address of the site, against which those without a host are resolved */
  constructor({ pairs = [], prefixes = [] }: AddressRules, site: string) {
    this.#site = site;
    for (const { from, to } of pairs) this.#exact.set(this.#keyOf(from), resolveAddress(to, site));
    this.#prefixes = prefixes
      .map(({ from, to }) => ({ from: this.#keyOf(from), to: resolveAddress(to, site) }))
      .sort((a, b) => b.from.length - a.from.length);
  }

  /** The new absolute address of a normalised absolute one; null where there is none, or it is the same. */
  find(target: string): string | null {
    const found = this.#exact.get(target) ?? this.#findWithoutQuery(target) ?? this.#findByPrefix(target);
    return found === undefined || normalizeAddress(found) === target ? null : found;
  }

  /** The new address of each reference of a document, written the way the old one is. For `planEdits`. */
  replacements(
    { base }: Pick<FoundReferences, 'base'>,
    documentUrl: string | null,
  ): (reference: Pick<Reference, 'address'>) => string | null {
    const against = baseOf(base, documentUrl) ?? this.#site;
    const known = this.#knownOf(scopeOf('/', against));
    return ({ address }) => {
      const isShared = isRooted(address);
      const shared = isShared ? known.get(address) : undefined;
      if (shared !== undefined) return shared;
      const target = targetOf(address, against);
      const found = target === null ? null : this.find(target);
      const replacement = found && writeLike(address, found, against);
      if (isShared) {
        if (known.size >= MAX_KNOWN) known.clear();
        known.set(address, replacement);
      }
      return replacement;
    };
  }

  #knownOf(site: string): Map<string, string | null> {
    if (this.#known.site !== site) this.#known = { site, replacements: new Map() };
    return this.#known.replacements;
  }

  #keyOf(address: string): string {
    return normalizeAddress(resolveAddress(address, this.#site));
  }

  /** A query asks for the same in another way: it goes with the address. */
  #findWithoutQuery(target: string): string | undefined {
    const query = target.indexOf('?');
    if (query < 0) return undefined;
    const found = this.#exact.get(target.slice(0, query));
    if (found === undefined || found.includes('?')) return found;
    const parts = splitAddress(found);
    return joinAddress({ ...parts, query: target.slice(query + 1) });
  }

  #findByPrefix(target: string): string | undefined {
    const fits = this.#prefixes.find(({ from }) => target.startsWith(from));
    return fits && fits.to + target.slice(fits.from.length);
  }
}

/** A row that is no pair of addresses. */
export interface AddressFault {
  /** Counted from 1. */
  row: number;
  message: string;
}

const HEADER = /^(?:from|old|before|source|alt)$/i;
const MAX_ADDRESS = 2000;

/** Reads pairs from CSV: two columns, old and new, with or without a header. Source: RFC 4180. */
export function readAddressPairs(csv: string): { pairs: AddressPair[]; faults: AddressFault[] } {
  const { data } = Papa.parse<string[]>(csv.replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const pairs: AddressPair[] = [];
  const faults: AddressFault[] = [];
  const seen = new Map<string, number>();
  for (const [index, row] of data.entries()) {
    const number = index + 1;
    const [from = '', to = ''] = row.map((cell) => cell.trim());
    if (index === 0 && HEADER.test(from)) continue;
    const message = faultOf(from, to, row.length, seen.get(from));
    if (message !== null) faults.push({ row: number, message });
    else pairs.push({ from, to });
    if (!seen.has(from)) seen.set(from, number);
  }
  return { pairs, faults };
}

function faultOf(from: string, to: string, columns: number, earlier: number | undefined): string | null {
  if (columns < 2) return 'it has one column; old and new address are needed';
  if (from === '') return 'its old address is empty';
  if (to === '') return 'its new address is empty';
  if (from.length > MAX_ADDRESS || to.length > MAX_ADDRESS)
    return `an address has more than ${MAX_ADDRESS} characters`;
  if (earlier !== undefined) return `row ${earlier} has the same old address`;
  return null;
}
