import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createConnection } from 'mysql2/promise';
import { afterAll, expect, test } from 'vitest';
import { findFreePort, isPortFree, logFileSize, startMariaDb } from './mariadb.mjs';

const folder = mkdtempSync(join(tmpdir(), 'uniferum-mariadb-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const connect = ({ host, port, user, password }) => createConnection({ host, port, user, password });

test('what was committed outlives a killed server, and one that was left running is taken over', {
  timeout: 60_000,
}, async () => {
  const first = await startMariaDb(folder);
  const connection = await connect(first);
  await connection.query('CREATE DATABASE kept');
  await connection.query('CREATE TABLE kept.things (id INT PRIMARY KEY) ENGINE=InnoDB');
  await connection.query('INSERT INTO kept.things VALUES (1), (2)');
  process.kill(first.pid, 'SIGKILL');
  await connection.end().catch(() => connection.destroy());

  const second = await startMariaDb(folder);
  // Nobody stops the second: the third start finds it running on the same folder.
  const third = await startMariaDb(folder);
  expect(third.pid).not.toBe(second.pid);
  const again = await connect(third);
  const [rows] = await again.query('SELECT id FROM kept.things ORDER BY id');
  expect(rows).toEqual([{ id: 1 }, { id: 2 }]);
  await again.end();
  await third.stop();
  await expect(connect(third)).rejects.toThrow();
});

test('a port that is taken is not free', async () => {
  const port = await findFreePort();
  expect(await isPortFree(port)).toBe(true);
  const holder = createServer();
  await new Promise((resolve) => holder.listen(port, '127.0.0.1', resolve));
  expect(await isPortFree(port)).toBe(false);
  await new Promise((resolve) => holder.close(resolve));
});

test('the log is half as large as the buffer pool', () => {
  expect(['256M', '1G', '3G'].map(logFileSize)).toEqual(['128M', '512M', '1536M']);
  expect(() => logFileSize('much')).toThrow('much is not a size');
});
