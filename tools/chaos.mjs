// @ts-check
// `npm run chaos [-- --seed 1 --kills 200]`: two servers, three workers and their MariaDB are killed at random moments while
// files are imported in every way, edited, moved, binned and rebuilt. Afterwards, everything is compared with what was acknowledged.
import { parseArgs } from 'node:util';
import { prepare } from './prepare.mjs';

const { values } = parseArgs({
  options: {
    seed: { type: 'string', default: String(Math.floor(Date.now() / 1000) % 1_000_000) },
    kills: { type: 'string', default: '200' },
    keep: { type: 'boolean', default: false },
  },
});
const seed = Number(values.seed);
const kills = Number(values.kills);
prepare({ forTests: false });
const { Caller } = await import('./chaos/caller.mjs');
const { killAtRandom, startInstallation } = await import('./chaos/installation.mjs');
const { PEOPLE } = await import('./chaos/people.mjs');
const { Ledger } = await import('./chaos/tools.mjs');
const { Listener, startOutside } = await import('./chaos/outside.mjs');
const { randomFrom } = await import('./random.mjs');
const { judge } = await import('./chaos/verdict.mjs');

console.log(`Seed ${seed}, ${kills} kills.`);
const random = randomFrom(seed);
const killing = random.fork();
const outside = await startOutside();
const installation = await startInstallation({ allowedHosts: outside.host });
const { urls, key, inbox } = installation;
const caller = new Caller({ urls, key, random: random.fork() });
const ledger = new Ledger();
const listener = new Listener();
const listening = listener.listen({ urls, key, random: random.fork() });
const began = Date.now();

let isOver = false;
/** @type {Record<string, number>} */
const turns = {};
const places = PEOPLE.map((person) => ({
  person,
  place: { caller, ledger, inbox, outside, random: random.fork() },
}));
for (const { person, place } of places) await person.prepare?.(place);
const working = Promise.allSettled(
  places.map(async ({ person, place }) => {
    for (let n = 0; !isOver; n += 1) {
      await person.turn(place, n);
      turns[person.name] = n + 1;
    }
  }),
);
const killed = await killAtRandom(installation, killing, {
  kills,
  onKill: (count, target) => {
    if (count % 20 === 0) console.log(`${count} killed, the last was ${target}`);
  },
});
isOver = true;
const ends = await working;
for (const [n, end] of ends.entries())
  if (end.status === 'rejected') ledger.wrong.push(`${PEOPLE[n]?.name} gave up: ${end.reason}`);
const { verdict, figures } = await judge({ installation, caller, ledger, listener });
listener.stop();
await listening;
await installation.close();
await outside.close();

console.log(`\nSeed ${seed}: ${Math.round((Date.now() - began) / 1000)} s.`);
console.log(`Killed: ${list(killed)}.`);
console.log(`Done: ${list(turns)}.`);
console.log(`Seen: ${list(figures)}.`);
const { slowest } = caller;
console.log(
  `Slowest to be answered: ${slowest.request} after ${slowest.ms} ms, told before: ${list(slowest.told)}.\n`,
);
let faults = 0;
for (const [name, found] of Object.entries(verdict)) {
  console.log(`${found.length === 0 ? 'ok    ' : 'FAULTY'}  ${name}: ${found.length}`);
  for (const line of found.slice(0, 20)) console.log(`          ${line}`);
  faults += found.length;
}
if (faults === 0 && !values.keep) installation.remove();
else console.log(`\nIts data stay in ${installation.folder}, its log in var/chaos.log.`);
process.exit(faults === 0 ? 0 : 1);

/** @param {Record<string, number>} counts */
function list(counts) {
  return Object.entries(counts)
    .map(([name, count]) => `${name} ${count}`)
    .join(', ');
}
