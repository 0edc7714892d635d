import type { Station } from '../console/station.js';

/** Rules have no page of their own: they are opened from a folder. */
export const rulesStation: Station = {
  room: 'rules',
  stale: { 'rules.changed': ['rules'], 'folder.changed': ['access'] },
};
