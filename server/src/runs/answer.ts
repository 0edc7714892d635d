import type { App } from '../app.js';
import { notFound } from '../shared/errors.js';
import { type Answer, API_BASE } from '../shared/route.js';
import { findRun, toRunAnswer } from './queries.js';

/** Answers with a run that was begun, and with what else belongs to it. */
export async function answerRun(app: App, id: string, more: object = {}): Promise<Answer> {
  const run = await findRun(app.db, id);
  if (run === null) throw notFound(`Run ${id}`);
  return {
    status: 202,
    body: { ...more, run: toRunAnswer(run, Date.now()) },
    headers: { Location: `${app.config.publicUrl}${API_BASE}/runs/${id}` },
  };
}
