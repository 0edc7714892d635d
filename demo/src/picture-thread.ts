import { parentPort, workerData } from 'node:worker_threads';
import sharp from 'sharp';
import { makePicture } from './make-picture.js';
import type { PictureJob } from './pictures.js';

sharp.concurrency(1);
const { root } = workerData as { root: string };

parentPort?.on('message', async (job: PictureJob) => {
  try {
    await makePicture(job, root);
    parentPort?.postMessage({ file: job.file });
  } catch (error) {
    parentPort?.postMessage({
      file: job.file,
      error: error instanceof Error ? error.message : String(error),
    });
  }
});
