import { openAsBlob, readdirSync, readFileSync } from 'node:fs';
import { createClient } from '../client/dist/index.js';
import { startStack } from '../tools/stack.mjs';

const cpu = () => {
  const m = {};
  for (const d of readdirSync('/proc')) {
    if (!/^\d+$/.test(d)) continue;
    try {
      const st = readFileSync(`/proc/${d}/stat`, 'utf8');
      const f = st.slice(st.lastIndexOf(')') + 2).split(' ');
      const c = readFileSync(`/proc/${d}/cmdline`, 'utf8').split('\0').slice(0, 2).join(' ').slice(-40);
      m[d + ' ' + c] = Number(f[11]) + Number(f[12]);
    } catch {}
  }
  return m;
};
const dir = '/work/main/var/bench-photographs';
const files = readdirSync(dir).map((f) => `${dir}/${f}`);
const SIDES = [
  [1600, 'inside', 'jpeg', 80],
  [1000, 'inside', 'jpeg', 80],
  [480, 'inside', 'jpeg', 80],
  [240, 'cover', 'webp', 75],
];
for (const [workers, slots] of JSON.parse(process.argv[2])) {
  const stack = await startStack({ name: 'ab', workers, env: { UNIFERUM_WORKER_SLOTS: String(slots) } });
  const u = createClient({ baseUrl: stack.url, key: stack.key });
  for (const [s, m, f, q] of SIDES)
    await u.recipes.make({
      name: `s${s}`,
      title: `${s}`,
      steps: [{ op: 'fit', mode: m, width: s, height: s }],
      output: { format: f, quality: q, metadata: 'none' },
    });
  for (let n = 0; n < files.length; n += 10)
    await u.assets.upload({
      folder: '/b',
      files: await Promise.all(
        files.slice(n, n + 10).map(async (f, i) => ({ name: `${n + i}.jpg`, data: await openAsBlob(f) })),
      ),
    });
  for await (const r of u.runs.list()) await u.runs.wait(r.id, { pollMs: 500 });
  const out = [];
  for (let i = 0; i < 3; i++) {
    const cpu0 = readFileSync('/proc/stat', 'utf8').split('\n')[0].split(/\s+/).slice(1).map(Number);
    const p0 = cpu();
    const { run } = await u.recipes.rebuild({ only: 'all' });
    const e = await u.runs.wait(run.id, { pollMs: 300 });
    const cpu1 = readFileSync('/proc/stat', 'utf8').split('\n')[0].split(/\s+/).slice(1).map(Number);
    const d = cpu1.map((v, k) => v - cpu0[k]);
    const tot = d.slice(0, 8).reduce((a, b) => a + b);
    if (i === 2) {
      const p1 = cpu();
      for (const [k, v] of Object.entries(p1)) {
        const dd = v - (p0[k] ?? 0);
        if (dd > 20) console.log('   ', k, ((dd * 10) / 60).toFixed(1), 'ms per picture');
      }
    }
    out.push(
      (60 / ((Date.parse(e.finishedAt) - Date.parse(e.startedAt)) / 1000)).toFixed(1) +
        ` idle ${Math.round((d[3] / tot) * 100)} iow ${Math.round((d[4] / tot) * 100)}`,
    );
  }
  console.log(workers, 'x', slots, out.join(' | '));
  await stack.close();
}
