import { existsSync } from 'node:fs';
import { copyFile, mkdir, rename, writeFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { dirname, join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { makeLampFilm } from './film.js';
import { handbook, lightSheet, packedLog, positionsCsv, tideCsv, tideTable, towerPlan } from './papers.js';
import { listPictures, type PictureJob } from './pictures.js';
import { seededRandom } from './random.js';
import { LIGHTS } from './scenario.js';
import { clockwork, fogSignal, makeWav, surf } from './sound.js';

/** Called after each file with the number done and the total. */
export type Progress = (done: number, total: number) => void;

/** Creates the missing demo files below `root`. */
export async function makeFiles(root: string, onProgress: Progress): Promise<void> {
  const pictures = listPictures().filter(({ file }) => !existsSync(join(root, file)));
  const others = otherFiles().filter(({ file }) => !existsSync(join(root, file)));
  let done = 0;
  const count = () => {
    done += 1;
    onProgress(done, pictures.length + others.length);
  };
  await Promise.all([
    paintAll(pictures, root, count),
    (async () => {
      for (const { file, make } of others) {
        await writeWhole(join(root, file), await make());
        count();
      }
    })(),
  ]);
  await makeTwin(root);
}

interface OtherFile {
  file: string;
  make: () => Buffer | Promise<Buffer>;
}

function otherFiles(): OtherFile[] {
  const months = [9, 10, 11, 12];
  return [
    ...LIGHTS.map(
      (light): OtherFile => ({
        file: `lights/${light.slug}/${light.slug}-plan.svg`,
        make: () => towerPlan(light),
      }),
    ),
    ...LIGHTS.map(
      (light): OtherFile => ({ file: `chart-room/sheets/${light.slug}.pdf`, make: () => lightSheet(light) }),
    ),
    { file: 'chart-room/keepers-handbook.pdf', make: handbook },
    ...months.map(
      (month): OtherFile => ({
        file: `chart-room/tides/tides-2026-${String(month).padStart(2, '0')}.pdf`,
        make: () => tideTable(2026, month),
      }),
    ),
    ...months.map(
      (month): OtherFile => ({
        file: `chart-room/tides/tides-2026-${String(month).padStart(2, '0')}.csv`,
        make: () => tideCsv(2026, month),
      }),
    ),
    { file: 'chart-room/positions.csv', make: positionsCsv },
    { file: 'chart-room/log-1911.txt.gz', make: () => packedLog(1911) },
    { file: 'chart-room/log-1912.txt.gz', make: () => packedLog(1912) },
    { file: 'sound-and-film/fog-signal.wav', make: () => makeWav(16, fogSignal) },
    { file: 'sound-and-film/surf.wav', make: () => makeWav(12, surf()) },
    { file: 'sound-and-film/clockwork.wav', make: () => makeWav(6, clockwork) },
    { file: 'sound-and-film/turning-lamp.webm', make: () => makeLampFilm(6) },
    // Wrong on purpose.
    { file: 'wrong/far-too-big.pdf', make: () => padded(Buffer.from('%PDF-1.7\n'), 26_000_000) },
    { file: 'wrong/empty.jpg', make: () => Buffer.alloc(0) },
    { file: 'wrong/handbook-named-as-picture.jpg', make: handbook },
    { file: 'wrong/visitors.exe', make: () => padded(Buffer.from('MZ\x90\x00'), 4096) },
  ];
}

/** Two deliberate mistakes: an exact duplicate, and a JPEG with a wrong extension. */
async function makeTwin(root: string): Promise<void> {
  const source = join(root, 'lights/gannet-head/gannet-head-dusk.jpg');
  await copyFile(source, join(root, 'wrong/gannet-head-dusk-again.jpg'));
  await copyFile(join(root, 'lights/whin-ness/whin-ness-day.jpg'), join(root, 'wrong/whin-ness-scan.png'));
}

function padded(start: Buffer, bytes: number): Buffer {
  const random = seededRandom(bytes);
  const file = Buffer.alloc(bytes);
  for (let i = 0; i < bytes; i += 4)
    file.writeUInt32LE(Math.floor(random() * 4294967296), Math.min(i, bytes - 4));
  start.copy(file);
  return file;
}

async function writeWhole(file: string, data: Buffer): Promise<void> {
  await mkdir(dirname(file), { recursive: true });
  await writeFile(`${file}.making`, data);
  await rename(`${file}.making`, file);
}

/** Paints pictures with one thread per processor. */
async function paintAll(jobs: readonly PictureJob[], root: string, onDone: () => void): Promise<void> {
  const queue = [...jobs];
  const threads = Math.min(queue.length, Math.max(1, availableParallelism()));
  await Promise.all(Array.from({ length: threads }, () => paintOnThread(queue, root, onDone)));
}

function paintOnThread(queue: PictureJob[], root: string, onDone: () => void): Promise<void> {
  const thread = new Worker(new URL('./picture-thread.js', import.meta.url), { workerData: { root } });
  return new Promise<void>((resolve, reject) => {
    const next = () => {
      const job = queue.shift();
      if (job) thread.postMessage(job);
      else resolve();
    };
    thread.on('message', ({ error, file }: { error?: string; file: string }) => {
      if (error) reject(new Error(`${file} could not be painted: ${error}`));
      else {
        onDone();
        next();
      }
    });
    thread.on('error', reject);
    next();
  }).finally(() => thread.terminate());
}
