/** One place of the work, in the order of the work. */
export interface Station {
  name: string;
  path: string;
  /** The key that leads there after `g`. */
  key: string;
  /** False for a place that this version doesn't have yet. */
  isBuilt: boolean;
}

export const STATIONS: readonly Station[] = [
  { name: 'Flow', path: '/', key: 'f', isBuilt: true },
  { name: 'Intake', path: '/intake', key: 'i', isBuilt: true },
  { name: 'Library', path: '/library', key: 'l', isBuilt: true },
  { name: 'Recipes', path: '/recipes', key: 'r', isBuilt: true },
  { name: 'Connections', path: '/connections', key: 'c', isBuilt: false },
  { name: 'Desk', path: '/desk', key: 'd', isBuilt: false },
  { name: 'Pages', path: '/pages', key: 'p', isBuilt: false },
  { name: 'Parcels', path: '/parcels', key: 'a', isBuilt: false },
  { name: 'Runs', path: '/runs', key: 'u', isBuilt: true },
  { name: 'Automate', path: '/automate', key: 'm', isBuilt: true },
];
