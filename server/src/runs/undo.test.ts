import { afterAll, beforeAll, expect, test } from 'vitest';
import { change } from '../shared/database.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { startTestRun } from '../testing/test-run.js';
import { defineRun } from './run-kind.js';
import { beginUndo } from './undo.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const kindOf = (kind: string, undone?: string) =>
  defineRun({
    kind,
    label: kind,
    ...(undone && { undo: async (_db, run, by) => `${undone} ${run.id} ${run.title} ${by}` }),
  });

/** A run of the kind `test` in a state. */
async function runIn(state: string): Promise<string> {
  const id = await startTestRun(server, 1, 'Moves');
  await change(server.db, 'UPDATE runs SET state = ? WHERE id = ?', [state, id]);
  return id;
}

test.each(['done', 'faulty', 'failed', 'stopped'])(
  'a run that is %s is undone by its own kind',
  async (state) => {
    const id = await runIn(state);
    const kinds = [kindOf('other', 'by the other'), kindOf('test', 'by itself')];
    expect(await beginUndo(server.db, kinds, id, 'Edda')).toBe(`by itself ${id} Moves Edda`);
  },
);

test.each(['waiting', 'working', 'stopping'])('a run that is %s is stopped first', async (state) => {
  const undoing = beginUndo(server.db, [kindOf('test', 'by itself')], await runIn(state), 'Edda');
  await expect(undoing).rejects.toMatchObject({
    code: 'conflict',
    message: expect.stringMatching(/"Moves" is still running\. Stop it first\./),
  });
});

test.each([
  ['whose kind has nothing to undo', [kindOf('other', 'by the other'), kindOf('test')]],
  ['whose kind no room offers any more', [kindOf('other', 'by the other')]],
])("a run %s can't be undone", async (_what, kinds) => {
  await expect(beginUndo(server.db, kinds, await runIn('done'), 'Edda')).rejects.toMatchObject({
    code: 'conflict',
    message: expect.stringMatching(/"Moves" can't be undone/),
  });
});

test('of a run that is not there, that is said', async () => {
  await expect(beginUndo(server.db, [], '999999', 'Edda')).rejects.toMatchObject({ code: 'not-found' });
});
