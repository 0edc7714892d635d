import { Ajv2020 } from 'ajv/dist/2020.js';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';

let server: Atelier['server'];
let api: Atelier['api'];
beforeAll(async () => {
  ({ server, api } = await openAtelier());
});
afterAll(() => server.close());

describe('recipes as a document', () => {
  test('are exported, valid by their published schema, and imported again without a change', async () => {
    const { body: document } = await api('GET', '/recipes/export');
    const { body: schema } = await server.call('GET', '/api/v1/recipes/schema.json', { key: null });
    const validate = new Ajv2020({ strict: false }).compile(schema);
    expect(validate(document), JSON.stringify(validate.errors)).toBe(true);
    const { body } = await api('POST', '/recipes/import?rehearse=true', document);
    expect(body.plan.totals).toEqual({ make: 0, change: 0, same: document.recipes.length });
    expect(
      validate({
        ...document,
        recipes: [{ name: 'x', title: 'x', steps: [{ op: 'fit', mode: 'sideways' }] }],
      }),
    ).toBe(false);
  });

  test('are made and changed together, or not at all, and a fault is told at its step', async () => {
    const wrong = {
      format: 'uniferum-recipes',
      version: 1,
      recipes: [
        recipe('fine', '/doc', 10),
        recipe('bad', '/doc', 10, { steps: [{ op: 'pixelate', size: 1 }] }),
      ],
    };
    const answer = await api('POST', '/recipes/import', wrong);
    expect([answer.status, answer.body.errors[0].field]).toEqual([400, 'recipes.1.steps.0.size']);
    expect((await api('GET', '/recipes/fine')).status).toBe(404);
    wrong.recipes.pop();
    expect((await api('POST', '/recipes/import', wrong)).body.plan.items).toEqual([
      { name: 'fine', action: 'make', changes: [] },
    ]);
    expect((await api('GET', '/recipes/fine')).body.revision).toBe(1);
  });
});
