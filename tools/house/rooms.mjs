// @ts-check
// Checks the rooms of the server against the needs that each declares.
import { placeOf, targetsOf } from './read-imports.mjs';

/** @typedef {import('./read-imports.mjs').Source} Source */

/** Server folders that are not rooms: every room may import shared code, and only the house knows all rooms. */
const SHARED = 'shared';
const HOUSE = 'house';
/** What a room imports from the house: the types of its contribution. */
const ROOM_SHAPE = 'server/src/house/room.ts';

/** Tables in which several rooms lock rows of their own; see the names in `settings`. */
const SHARED_TABLES = new Set(['settings']);

/**
 * Lists imports of rooms that are not among their needs, rooms that need each other in a circle, and tables that two
 * rooms write.
 *
 * @param {readonly Source[]} sources those of the server
 * @returns {string[]}
 */
export function findRoomBreaches(sources) {
  const production = sources.filter(({ isTest }) => !isTest);
  const needs = readNeeds(production);
  return [
    ...production.flatMap((source) => strangers(source, production, needs)),
    ...unmetNeeds(needs),
    ...sharedTables(production),
  ];
}

/** @param {string} file `server/src/recipes/engine/pool.ts` is in `recipes`; a file at the top is in the house */
function roomOf(file) {
  const [, , room, ...rest] = file.split('/');
  return rest.length === 0 ? HOUSE : String(room);
}

/** Reads `needs` from each room's `room.ts`. @param {readonly Source[]} sources @returns {Map<string, string[]>} */
function readNeeds(sources) {
  return new Map(
    sources
      .filter(({ file }) => file.endsWith('/room.ts') && roomOf(file) !== HOUSE)
      .map(({ file, text }) => {
        const list = /needs: \[([^\]]*)\]/.exec(text)?.[1] ?? '';
        return [roomOf(file), [...list.matchAll(/'(\w+)'/g)].map(([, name]) => String(name))];
      }),
  );
}

/** @param {Source} source @param {readonly Source[]} all @param {Map<string, string[]>} needs */
function strangers(source, all, needs) {
  const room = roomOf(source.file);
  if (room === HOUSE) return [];
  const known = new Set(all.map(({ file }) => file));
  return targetsOf(source, known).flatMap(({ target, index }) => {
    const other = roomOf(target);
    if (other === room || other === SHARED) return [];
    if (room !== SHARED && target === ROOM_SHAPE && source.file.endsWith('/room.ts')) return [];
    if (needs.get(room)?.includes(other)) return [];
    return [`${placeOf(source, index)}: ${room} imports ${other}, which is not among its needs`];
  });
}

/** A room stands on what it needs, so needs run in one direction. @param {Map<string, string[]>} needs */
function unmetNeeds(needs) {
  /** @type {string[]} */
  const breaches = [];
  const follow = (/** @type {string} */ room, /** @type {string[]} */ path) => {
    if (path.includes(room))
      breaches.push(`rooms need each other in a circle: ${[...path, room].join(' → ')}`);
    else for (const need of needs.get(room) ?? []) follow(need, [...path, room]);
  };
  for (const room of needs.keys()) follow(room, []);
  return [...new Set(breaches)];
}

/** @param {readonly Source[]} sources */
function sharedTables(sources) {
  /** @type {Map<string, Set<string>>} */
  const writers = new Map();
  for (const { file, text } of sources)
    for (const [, table] of text.matchAll(
      /(?:INSERT (?:IGNORE )?INTO|REPLACE INTO|DELETE FROM|[`'"]UPDATE) ([a-z_]+)\b/g,
    ))
      writers.set(String(table), (writers.get(String(table)) ?? new Set()).add(roomOf(file)));
  return [...writers]
    .filter(([table, rooms]) => rooms.size > 1 && !SHARED_TABLES.has(table))
    .map(
      ([table, rooms]) =>
        `the table ${table} is written by ${[...rooms].sort().join(' and ')}; ask the room by function`,
    );
}
