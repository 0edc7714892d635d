import Joi from 'joi';
import Papa from 'papaparse';
import { API_BASE, type Route, route } from '../shared/route.js';
import { idSchema } from '../shared/schemas.js';
import { proposeFixes } from './fixes.js';
import { REFERENCE_STATES, type ReferenceState } from './page-schemas.js';
import { listReferences } from './reference-queries.js';
import { listSources } from './source-queries.js';

const HEAD = ['source', 'document', 'url', 'title', 'attribute', 'address', 'reason', 'detail', 'fix'];
const ROWS_AT_A_TIME = 1000;

export const reportRoute: Route = route<object, { state: ReferenceState; source?: string }>({
  method: 'get',
  path: `${API_BASE}/references/report`,
  access: 'pages:read',
  summary: 'Download all references in a state, such as the broken ones, as a table',
  query: Joi.object({
    state: Joi.string()
      .valid(...REFERENCE_STATES)
      .default('broken'),
    source: idSchema,
  }),
  answers: { 200: { description: 'CSV with a heading', contentType: '*/*' } },
  async handle({ services: { db, config }, query: { state, source = null }, res }) {
    const names = new Map((await listSources(db)).map(({ id, name }) => [id, name]));
    res.attachment(`${state}-references.csv`);
    res.setHeader('Content-Type', 'text/csv; charset=utf-8');
    res.write(`${Papa.unparse([HEAD])}\r\n`);
    for (let after = 0; !res.destroyed; ) {
      const rows = await listReferences(db, { state, source, after, limit: ROWS_AT_A_TIME });
      const last = rows.at(-1);
      if (last === undefined) break;
      const fixes = await proposeFixes(db, config, rows);
      const lines = rows.map((row) => [
        ...[names.get(String(row.source_id)) ?? '', row.path, row.url, row.title, row.attribute, row.address],
        ...[row.reason, row.detail, fixes.get(row.id)?.address],
      ]);
      res.write(`${Papa.unparse(lines, { escapeFormulae: true })}\r\n`);
      after = last.id;
    }
    res.end();
    return { status: 200, handled: true };
  },
});
