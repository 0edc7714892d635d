import type { Request } from 'express';
import { readMultipart } from '../inspection/multipart.js';
import type { Answer } from '../shared/answer.js';
import { fingerprintOf, replay, type StoredResponse } from '../shared/idempotency.js';
import type { IntakeTools } from './tools.js';

/** Reads an upload that was answered before, and repeats the answer if it is the same one. */
export async function replayUpload(
  tools: IntakeTools,
  req: Request,
  earlier: StoredResponse,
): Promise<Answer> {
  const digests: string[] = [];
  const { digest } = await readMultipart(req, async ({ name, stream }) => {
    const staged = await tools.store.stage(stream, { limitBytes: tools.config.maxUploadBytes });
    await staged.discard();
    digests.push(`${name} ${staged.sha256}`);
  });
  return replay(earlier, fingerprintOf([digest, digests]));
}
