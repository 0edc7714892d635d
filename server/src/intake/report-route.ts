import { originalAddress } from '@uniferum/core/library';
import Joi from 'joi';
import Papa from 'papaparse';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { idSchema } from '../shared/schemas.js';
import { findIntake, listIntakeFiles, type StoredIntakeFile } from './queries.js';

const REPORT_ROWS = 1000;

/** The report of an intake. */
export const reportRoute: Route = route<{ id: string }, { format: 'csv' | 'json' }>({
  method: 'get',
  path: `${API_BASE}/intakes/{id}/report`,
  access: 'library:read',
  summary: 'Export the report of an intake',
  params: Joi.object({ id: idSchema.required() }),
  query: Joi.object({ format: Joi.string().valid('csv', 'json').default('csv') }),
  answers: {
    200: { description: 'One line for each file, as a table (RFC 4180) or JSON', contentType: '*/*' },
  },
  async handle({ services, params: { id }, query: { format }, res }) {
    const intake = await findIntake(services.db, id);
    if (intake === null) throw notFound(`Intake ${id}`);
    res.attachment(`intake-${id}.${format}`);
    res.setHeader('Content-Type', format === 'csv' ? 'text/csv; charset=utf-8' : 'application/json');
    if (format === 'csv') res.write(`${Papa.unparse([REPORT_HEAD])}\r\n`);
    else res.write(`{"intake":${JSON.stringify(intake)},"files":[`);
    let after = 0;
    for (let isFirst = true; ; isFirst = false) {
      const files = await listIntakeFiles(services.db, id, { limit: REPORT_ROWS - 1, after });
      const lines = files.map((file) => toReportLine(file, services.config.mediaUrl));
      if (lines.length > 0)
        res.write(
          format === 'csv'
            ? `${Papa.unparse(
                lines.map((line) => REPORT_HEAD.map((key) => line[key])),
                { escapeFormulae: true },
              )}\r\n`
            : (isFirst ? '' : ',') + lines.map((line) => JSON.stringify(line)).join(','),
        );
      if (files.length < REPORT_ROWS) break;
      after = Number(files.at(-1)?.id);
    }
    res.end(format === 'json' ? ']}\n' : undefined);
    return { status: 200, handled: true };
  },
});

const REPORT_HEAD = ['name', 'outcome', 'reasons', 'codes', 'bytes', 'asset', 'url', 'at'] as const;

function toReportLine({ verdict, bytes, asset, at }: StoredIntakeFile, mediaUrl: string) {
  return {
    name: verdict.name,
    outcome: verdict.outcome,
    reasons: verdict.reasons.map(({ message }) => message).join(' '),
    codes: verdict.reasons.map(({ code }) => code).join(' '),
    bytes,
    asset: asset?.id ?? null,
    url: asset && mediaUrl + originalAddress(asset.folder, asset.name),
    at,
  };
}
