import { mkdir, rename } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import sharp from 'sharp';
import { paintView } from './paint.js';
import { type PictureJob, toXmp } from './pictures.js';
import { LIGHTS, TRUST } from './scenario.js';

/** Paints a picture and writes it with its metadata; the file is complete or absent. */
export async function makePicture(job: PictureJob, root: string): Promise<void> {
  const light = LIGHTS.find(({ slug }) => slug === job.light);
  if (!light) throw new Error(`Expected one of the eleven lights, got ${job.light}`);
  const painted = await paintView({
    light,
    time: job.time,
    width: job.width,
    height: job.height,
    seed: job.seed,
    closeness: job.closeness,
  });
  const pixels = job.isTurned
    ? sharp(await painted.rotate(270).png({ compressionLevel: 1 }).toBuffer())
    : painted;
  const file = join(root, job.file);
  await mkdir(dirname(file), { recursive: true });
  const output = pixels
    .withExif({
      IFD0: {
        Artist: job.keeper,
        Copyright: TRUST,
        ImageDescription: job.title,
        Make: 'Farrow',
        Model: 'Keeper 3',
      },
      IFD2: {
        DateTimeOriginal: exifTime(job.takenAt),
        OffsetTimeOriginal: '+00:00',
        ExposureTime: job.time === 'night' ? '4/1' : '1/250',
        FNumber: '8/1',
      },
    })
    .withXmp(toXmp(job))
    .withMetadata({ orientation: job.isTurned ? 6 : 1 });
  if (job.format === 'png') output.png({ compressionLevel: 6 });
  else if (job.format === 'webp') output.webp({ quality: 88 });
  else output.jpeg({ quality: 88 });
  await output.toFile(`${file}.making`);
  await rename(`${file}.making`, file);
}

function exifTime(iso: string): string {
  return iso.slice(0, 19).replaceAll('-', ':').replace('T', ' ');
}
