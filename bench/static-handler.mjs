// @ts-check
// The baseline for serving: Express's static handler for a folder.
import { createRequire } from 'node:module';

const express = createRequire(new URL('../server/package.json', import.meta.url))('express');
const [folder = '.'] = process.argv.slice(2);
const app = express();
app.use(express.static(folder));
const server = app.listen(0, '127.0.0.1', () => process.send?.(server.address().port));
