// @ts-check
// `npm run bench [listing|intake|inbox|small|memory|finding|renditions|queueing|busy|console|pressure|pages|stores …]`: measures speed and memory as ratios to a general-purpose tool.
import { prepare } from './prepare.mjs';

prepare({ forTests: true });
const { allGood } = await import('../bench/measure.mjs');
const wanted = process.argv.slice(2);
const benches = {
  listing: async () => (await import('../bench/listing.mjs')).benchListing(),
  intake: async () => (await import('../bench/intake.mjs')).benchIntake(),
  inbox: async () => (await import('../bench/inbox.mjs')).benchInbox(),
  small: async () => (await import('../bench/small-files.mjs')).benchSmallFiles(),
  memory: async () => (await import('../bench/memory.mjs')).benchMemory(),
  finding: async () => (await import('../bench/finding.mjs')).benchFinding(),
  renditions: async () => (await import('../bench/renditions.mjs')).benchRenditions(wanted),
  queueing: async () => (await import('../bench/queueing.mjs')).benchQueueing(),
  busy: async () => (await import('../bench/busy.mjs')).benchBusy(),
  console: async () => (await import('../bench/console.mjs')).benchConsole(),
  pages: async () => (await import('../bench/pages.mjs')).benchPages(wanted),
  stores: async () => (await import('../bench/stores.mjs')).benchStores(),
  pressure: async () => (await import('../bench/pressure.mjs')).benchPressure(),
};
for (const [name, bench] of Object.entries(benches))
  if (wanted.length === 0 || wanted.includes(name)) await bench();
process.exitCode = allGood() ? 0 : 1;
