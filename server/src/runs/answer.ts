import type { Answer } from '../shared/answer.js';
import { notFound } from '../shared/errors.js';
import { API_BASE } from '../shared/route.js';
import type { Services } from '../shared/services.js';
import { findRun, toRunAnswer } from './queries.js';

/** Answers with the run that was started and related data. */
export async function answerRun(
  { db, config }: Pick<Services, 'db' | 'config'>,
  id: string,
  more: object = {},
): Promise<Answer> {
  const run = await findRun(db, id);
  if (run === null) throw notFound(`Run ${id}`);
  return {
    status: 202,
    body: { ...more, run: toRunAnswer(run, Date.now()) },
    headers: { Location: `${config.publicUrl}${API_BASE}/runs/${id}` },
  };
}
