import { parseArgs } from 'node:util';
import { ALL_RIGHTS } from '@uniferum/core';
import { makeKey, makeUser } from './access/service.js';
import { readConfig } from './config.js';
import { checkSecret } from './intake/custom-check.js';
import { openDatabase } from './shared/database.js';
import { migrate } from './shared/migrate.js';

// For the operator, on the server's own machine, where no right can be asked for yet:
//   node server/dist/admin.js user --email keeper@skerry.example --name "Edda"   (the password in UNIFERUM_PASSWORD)
//   node server/dist/admin.js key --name "Nightly import" [--rights library:read,library:write]   (prints the secret)
//   node server/dist/admin.js check-secret --url https://…   (prints what a custom check verifies its questions with)
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    email: { type: 'string' },
    name: { type: 'string' },
    rights: { type: 'string' },
    url: { type: 'string' },
  },
});
const config = readConfig(process.env);
await migrate(config.database);
const db = openDatabase(config.database);
try {
  await carryOut(positionals[0]);
} finally {
  await db.end();
}

async function carryOut(command: string | undefined): Promise<void> {
  const rights =
    values.rights === undefined
      ? ALL_RIGHTS
      : ALL_RIGHTS.filter((right) => values.rights?.split(',').includes(right));
  if (command === 'user') {
    const password = process.env.UNIFERUM_PASSWORD;
    if (!values.email || !password) throw new Error('Give --email, and the password in UNIFERUM_PASSWORD.');
    await makeUser(db, { email: values.email, name: values.name ?? values.email, password, rights });
  } else if (command === 'key') {
    const { secret } = await makeKey(db, { name: values.name ?? 'Unnamed', rights });
    process.stdout.write(`${secret}\n`);
  } else if (command === 'check-secret') {
    if (!values.url) throw new Error('Give the address of the check with --url.');
    process.stdout.write(`${checkSecret(config, values.url)}\n`);
  } else {
    throw new Error('Expected the command "user", "key" or "check-secret".');
  }
}
