import Joi from 'joi';
import { recordEvent } from '../../events/outbox.js';
import { answerRun } from '../../runs/answer.js';
import { beginGroupedRun } from '../../runs/ledger.js';
import { runSchema } from '../../runs/schemas.js';
import { inTransaction } from '../../shared/database.js';
import { API_BASE, type Route, route } from '../../shared/route.js';
import { answer, idSchema } from '../../shared/schemas.js';
import { noteChanged } from './events.js';
import { writeNote } from './queries.js';
import { clearNotes } from './run-kind.js';

export const noteRoutes: Route[] = [
  route<{ id: string }, object, { note: string | null }>({
    method: 'put',
    path: `${API_BASE}/assets/{id}/note`,
    access: 'library:write',
    summary: 'Write the note of an asset',
    params: Joi.object({ id: idSchema.required() }),
    body: Joi.object({ note: Joi.string().max(500).allow(null).required() }),
    answers: { 204: { description: 'It is written' } },
    async handle({ services: { db }, who, params: { id }, body: { note } }) {
      await inTransaction(db, async (tx) => {
        await writeNote(tx, id, note);
        await recordEvent(tx, { event: noteChanged, asset: id, by: who.name, data: { id, note } });
      });
      return { status: 204 };
    },
  }),
  route<object, object, { ids: string[] }>({
    method: 'post',
    path: `${API_BASE}/notes/clear`,
    access: 'library:write',
    summary: 'Take the notes of assets away',
    body: Joi.object({ ids: Joi.array().items(idSchema).required() }),
    answers: { 202: { description: 'The run that does it', schema: answer({ run: runSchema }) } },
    async handle({ services, who, body: { ids } }) {
      const run = await beginGroupedRun(
        services.db,
        clearNotes,
        { title: 'Clearing notes', by: who.name },
        { subjects: ids, perItem: 2, inputOf: (some) => ({ ids: some }) },
      );
      return answerRun(services, run);
    },
  }),
];
