import { AddressMap } from '@uniferum/core/pages';
import type { RewritePlan } from './work.js';

/** The items of a run have the same rules: the map of thousands of them is built once. */
let known: { run: string; site: string; map: AddressMap } | null = null;

export function addressMapOf({ rules, site, run }: Pick<RewritePlan, 'rules' | 'site' | 'run'>): AddressMap {
  if (run !== null && known?.run === run && known.site === site) return known.map;
  const map = new AddressMap(rules, site);
  if (run !== null) known = { run, site, map };
  return map;
}
