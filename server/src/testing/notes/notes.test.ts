import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { composeRooms } from '../../house/compose-rooms.js';
import type { Room } from '../../house/room.js';
import { sweepAll } from '../../house/sweep-all.js';
import { toAssetAnswers } from '../../library/asset-answers.js';
import { findAssets } from '../../library/asset-queries.js';
import type { AssetField } from '../../library/joints.js';
import { createRooms } from '../../rooms.js';
import { buildOpenApi, documentPath } from '../../shared/openapi.js';
import { eventually, form, startTestServer, type TestServer } from '../harness.js';
import { noteField } from './library.js';
import { countNotes, createNotesTable, writeNote } from './queries.js';
import { notesRoom } from './room.js';

const api = '/api/v1';
let server: TestServer;

beforeAll(async () => {
  server = await startTestServer({
    // The one line by which a room comes into the house.
    compose: (services, processes) =>
      composeRooms([...createRooms(services, processes), notesRoom(services)]),
  });
  await createNotesTable(server.db);
});
afterAll(() => server.close());

async function send(...names: string[]): Promise<string[]> {
  const files = names.map((name) => ({ name, data: Buffer.from(`bytes of ${name}`) }));
  const { body } = await server.call('POST', `${api}/assets`, { body: form('/noted', files) });
  const results = names.length === 1 ? [{ asset: body }] : body.results;
  return results.map(({ asset }: { asset: { id: string } }) => asset.id);
}
const write = (id: string, note: string | null) =>
  server.call('PUT', `${api}/assets/${id}/note`, { json: { note } });
const get = async (id: string) => (await server.call('GET', `${api}/assets/${id}`)).body;
const find = async (q: string) =>
  (await server.call('GET', `${api}/assets?folder=/noted&q=${encodeURIComponent(q)}`)).body;

describe('an example room, in its own files', () => {
  test('adds a field to every asset in answers, and a route', async () => {
    const [first = '', second = ''] = await send('a.txt', 'b.txt');
    expect((await write(first, 'the lamp is out')).status).toBe(204);
    expect((await get(first)).note).toBe('the lamp is out');
    expect((await get(second)).note).toBeNull();
    const { items } = (await server.call('GET', `${api}/assets?folder=/noted`)).body;
    expect(items.map(({ note }: { note: string | null }) => note)).toContain('the lamp is out');
  });

  test('is in the OpenAPI document with its routes and its field', () => {
    // biome-ignore lint/suspicious/noExplicitAny: a JSON document is walked freely
    const document = buildOpenApi(server.house.routes()) as any;
    expect(document.paths[documentPath(`${api}/assets/{id}/note`)].put.summary).toBe(
      'Write the note of an asset',
    );
    expect(document.components.schemas.Asset.properties.note).toBeDefined();
  });

  test('guards assets: what it objects to is not done, by a request or a bulk job', async () => {
    const [id = '', other = ''] = await send('kept.txt', 'free.txt');
    await write(id, 'keep until spring');
    const refused = await server.call('DELETE', `${api}/assets/${id}`);
    expect(refused.status).toBe(409);
    expect(refused.body).toMatchObject({ code: 'conflict', errors: [{ code: 'note-keeps' }] });
    await server.call('POST', `${api}/assets/bulk`, {
      json: { select: { ids: [id, other] }, action: 'bin' },
    });
    await server.workUntilIdle();
    expect((await get(id)).name).toBe('kept.txt');
    expect((await server.call('GET', `${api}/assets/${other}`)).status).toBe(404);
    await write(id, null);
    expect((await server.call('DELETE', `${api}/assets/${id}`)).status).toBe(204);
  });

  test('listens: in the same transaction it writes what arrives and forgets what is purged', async () => {
    const [id = ''] = await send('noted.txt');
    expect((await get(id)).note).toBe('arrived as noted.txt');
    const before = await countNotes(server.db);
    await server.call('DELETE', `${api}/assets/${id}`);
    expect(await countNotes(server.db)).toBe(before);
    await server.call('POST', `${api}/bin/empty`, { json: {} });
    await server.workUntilIdle();
    expect(await countNotes(server.db)).toBe(before - 1);
  });

  test('adds a field to the filter language, alone and joined with others', async () => {
    const [id = ''] = await send('filtered.txt');
    await write(id, 'green paint');
    expect((await find('note:paint')).items.map((one: { id: string }) => one.id)).toEqual([id]);
    expect((await find('note:any name-less')).total).toBe(0);
    expect((await find('note:none kind:document')).total).toBeGreaterThan(0);
    expect((await find('not note:paint')).items.some((one: { id: string }) => one.id === id)).toBe(false);
    expect((await server.call('GET', `${api}/assets?q=notes:any`)).body.errors[0].suggestion).toBe(
      'note:any',
    );
  });

  test('adds a kind of run, which is worked on, and an event, which is told', async () => {
    const listening = new AbortController();
    const response = await fetch(`${server.url}${api}/events`, {
      signal: listening.signal,
      headers: { Authorization: `Bearer ${await server.key(['library:read'])}` },
    });
    let told = '';
    const reading = (async () => {
      for await (const part of response.body ?? []) told += Buffer.from(part).toString();
    })().catch(() => {});
    const ids = await send('x.txt', 'y.txt', 'z.txt');
    for (const id of ids) await write(id, 'to be cleared');
    await eventually(async () => told.includes('note.changed') && told.includes('to be cleared'));
    const { body } = await server.call('POST', `${api}/notes/clear`, { json: { ids } });
    expect(body.run).toMatchObject({ kind: 'notes-clear', canUndo: false });
    await server.workUntilIdle();
    expect((await server.call('GET', `${api}/runs/${body.run.id}`)).body).toMatchObject({
      state: 'done',
      done: 3,
    });
    for (const id of ids) expect((await get(id)).note).toBeNull();
    listening.abort();
    await reading;
  });

  test('adds a sweep', async () => {
    await writeNote(server.db, '999999', 'of an asset that is gone');
    const before = await countNotes(server.db);
    await sweepAll(server.services, server.db, server.house);
    expect(await countNotes(server.db)).toBe(before - 1);
  });

  test('costs one query for a list with each field, and not one for each asset', async () => {
    await send(...Array.from({ length: 60 }, (_, n) => `listed-${n}.txt`));
    const page = await server.call('GET', `${api}/assets?folder=/noted&limit=60`);
    const rows = await findAssets(
      server.db,
      page.body.items.map(({ id }: { id: string }) => Number(id)),
    );
    expect(rows).toHaveLength(60);
    const queriesWith = async (fields: readonly AssetField[]) => {
      let count = 0;
      // The server's own work beside it goes by another door.
      const db = new Proxy(server.db, {
        get(target, name) {
          const value = Reflect.get(target, name);
          if (typeof value !== 'function') return value;
          if (name === 'query' || name === 'execute') count += 1;
          return value.bind(target);
        },
      });
      const joints = { ...server.house.plugged.joints, fields };
      await toAssetAnswers({ ...server.services, db, joints }, rows);
      return count;
    };
    const { fields } = server.house.plugged.joints;
    const more = ['one', 'two', 'three'].map((name) => ({ ...noteField, name }));
    expect(await queriesWith([...fields, ...more])).toBe((await queriesWith(fields)) + 3);
  });
});

describe('the house refuses', () => {
  const compose = (...more: Room[]) => {
    const { services, processes } = server;
    return composeRooms([...createRooms(services, processes), ...more]);
  };
  const plain: Room = { name: 'plain', needs: [] };

  test('a room whose need is missing or stands above it', () => {
    expect(() => compose({ ...plain, needs: ['attic'] })).toThrow('needs "attic"');
    expect(() =>
      composeRooms([
        { name: 'a', needs: ['b'] },
        { name: 'b', needs: [] },
      ]),
    ).toThrow('needs "b"');
  });

  test('two rooms, events, runs, fields or filters of one name', () => {
    expect(() => compose(plain, plain)).toThrow('twice');
    const notes = notesRoom(server.services);
    expect(() => compose(notes, { ...plain, events: notes.events ?? [] })).toThrow('event "note.changed"');
    expect(() => compose(notes, { ...plain, runs: notes.runs ?? [] })).toThrow('run "notes-clear"');
    expect(() => compose(notes, { ...plain, library: { fields: notes.library?.fields ?? [] } })).toThrow(
      'field of assets "note"',
    );
    expect(() => compose(notes, { ...plain, library: { filters: notes.library?.filters ?? [] } })).toThrow(
      'filter language "note"',
    );
  });

  test('two routes that take the same requests, and a kind of run without a handler', () => {
    const notes = notesRoom(server.services);
    expect(() =>
      compose(notes, { ...plain, routes: () => notes.routes?.(server.house.plugged) ?? [] }).routes(),
    ).toThrow('route');
    expect(() => compose({ ...plain, runs: notes.runs ?? [] }).handlers()).toThrow('notes-clear');
  });

  test('a change of what it merged', () => {
    const { plugged } = compose();
    expect(() => (plugged.joints.fields as unknown[]).push({})).toThrow();
    expect(Object.isFrozen(plugged.joints)).toBe(true);
  });
});
