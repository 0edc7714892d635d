import Papa from 'papaparse';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { selectOne } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

/** Gives an intake as many further files as the first one. */
async function intakeOf(files: number): Promise<string> {
  const { body } = await server.call('POST', `${api}/intakes`, { json: { folder: '/news' } });
  if (files === 0) return body.id;
  const sent = form('/news', [{ name: `${files}.txt`, data: Buffer.from(`one of ${files}`) }], {
    intake: body.id,
  });
  expect((await server.call('POST', `${api}/assets`, { body: sent })).status).toBe(201);
  await server.db.query(
    `INSERT INTO intake_files (intake_id, bytes, verdict)
     SELECT intake_id, seq, JSON_SET(verdict, '$.name', CONCAT('more-', seq, '.txt'))
     FROM intake_files JOIN seq_1_to_${files} WHERE intake_id = ? AND seq < ?`,
    [body.id, files],
  );
  return body.id;
}
const report = async (id: string, format: string) =>
  (await server.call('GET', `${api}/intakes/${id}/report?format=${format}`)).bytes.toString();

// It is read a thousand files at a time.
test.each([0, 1, 2, 999, 1000, 1001, 2000, 2500])(
  'a report of %i files has a line for each',
  async (files) => {
    const id = await intakeOf(files);
    const names = Array.from({ length: files }, (_, n) => (n === 0 ? `${files}.txt` : `more-${n}.txt`));
    const json = JSON.parse(await report(id, 'json'));
    expect(json.intake).toMatchObject({ id, folder: '/news' });
    expect(json.files.map(({ name }: { name: string }) => name)).toEqual(names);
    const csv = await report(id, 'csv');
    const { data } = Papa.parse<Record<string, string>>(csv, { header: true, skipEmptyLines: true });
    expect(data.map(({ name }) => name)).toEqual(names);
    expect(csv.endsWith('\r\n')).toBe(true);
    expect(csv).not.toContain('\r\n\r\n');
    const row = await selectOne<{ n: number }>(
      server.db,
      'SELECT COUNT(*) AS n FROM intake_files WHERE intake_id = ?',
      [id],
    );
    expect(row?.n).toBe(files);
  },
);
