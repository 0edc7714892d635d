import { automateStation } from './automate/station.js';
import { connectionsStation } from './connections/station.js';
import type { Station } from './console/station.js';
import { copiesStation } from './copies/station.js';
import { flowStation } from './flow/station.js';
import { intakeStation } from './intake/station.js';
import { libraryStation } from './library/station.js';
import { pagesStation } from './pages/station.js';
import { recipesStation } from './recipes/station.js';
import { rulesStation } from './rules/station.js';
import { runsStation } from './runs/station.js';

/** Stations of later versions. */
const TO_COME: readonly Station[] = [
  { name: 'Desk', path: '/desk', key: 'd', order: 60 },
  { name: 'Parcels', path: '/parcels', key: 'a', order: 80 },
].map((place) => ({ room: place.name.toLowerCase(), place: { ...place, isToCome: true } }));

/** Every station of the console. This is the only file that lists all of them. */
export const STATIONS: readonly Station[] = [
  flowStation,
  intakeStation,
  libraryStation,
  rulesStation,
  recipesStation,
  connectionsStation,
  copiesStation,
  pagesStation,
  ...TO_COME,
  runsStation,
  automateStation,
];
