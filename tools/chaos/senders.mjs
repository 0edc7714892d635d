import { mkdir, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';

import { endOf, form, someFile, someFiles, upload, zip } from './tools.mjs';

/** @typedef {import('./people.mjs').Person} Person */

/** @type {Person} */
export const formSender = {
  name: 'uploads by form',
  turn: async (place, n) => {
    const files = await someFiles(place.random, `form-${n}`, place.random.between(1, 5));
    await upload(place, `/forms/${n % 5}`, files, `form-${n}`);
  },
};

const TUS = { 'Tus-Resumable': '1.0.0' };

/** @type {Person} */
export const pieceSender = {
  name: 'resumable uploads',
  turn: async ({ caller, random, ledger }, n) => {
    const { name, data } = await someFile(random, `pieces-${n}`);
    const metadata = Object.entries({ filename: name, folder: '/pieces' })
      .map(([key, value]) => `${key} ${Buffer.from(value).toString('base64')}`)
      .join(',');
    const { headers } = await caller.ask({
      method: 'POST',
      path: '/uploads',
      headers: { ...TUS, 'Upload-Length': String(data.length), 'Upload-Metadata': metadata },
    });
    const path = `/uploads/${headers.get('location')?.split('/').at(-1)}`;
    const pieceBytes = Math.ceil(data.length / random.between(1, 5));
    for (;;) {
      const at = await caller.ask({ method: 'HEAD', path, headers: TUS, also: [404, 410] });
      // An upload that completed without its response arriving has a result and no parts.
      const offset = at.status < 300 ? Number(at.headers.get('upload-offset')) : data.length;
      if (offset >= data.length) break;
      await caller.ask({
        method: 'PATCH',
        path,
        headers: {
          ...TUS,
          'Upload-Offset': String(offset),
          'Content-Type': 'application/offset+octet-stream',
        },
        body: () => new Blob([/** @type {any} */ (data.subarray(offset, offset + pieceBytes))]),
        also: [404, 409, 410],
      });
    }
    const { body } = await caller.ask({ method: 'GET', path: `${path}/result` });
    if (body.asset === null) ledger.wrong.push(`${name} has a result without an asset`);
    ledger.keep('/pieces', name, data);
  },
};

/** @type {Person} */
export const archiveSender = {
  name: 'archives',
  turn: async (place, n) => {
    const files = await someFiles(place.random, `packed-${n}`, place.random.between(3, 9));
    const data = await zip(files);
    const { body } = await place.caller.ask({
      method: 'POST',
      path: '/assets',
      body: () => form('/packed', [{ name: `${n}.zip`, data }], { unpack: 'true' }),
      once: `zip-${n}`,
    });
    for (const file of files) place.ledger.keep('/packed', file.name, file.data);
    await endOf(place, body.run, files.length);
  },
};

/** @type {Person} */
export const inboxFiller = {
  name: 'the inbox, moved',
  turn: async (place, n) => {
    const files = await someFiles(place.random, `inbox-${n}`, place.random.between(2, 12));
    await mkdir(join(place.inbox, String(n)));
    for (const { name, data } of files) {
      await writeFile(join(place.inbox, `.${name}`), data);
      await rename(join(place.inbox, `.${name}`), join(place.inbox, String(n), name));
    }
    const { body } = await place.caller.ask({
      method: 'POST',
      path: '/inbox/register',
      json: { folder: '/from-inbox', mode: 'move' },
      once: `inbox-${n}`,
    });
    for (const { name, data } of files) place.ledger.keep(`/from-inbox/${n}`, name, data);
    if (body.run) await endOf(place, body.run.id, files.length);
  },
};

/** @type {Person} */
export const addressSender = {
  name: 'addresses and data URIs',
  turn: async (place, n) => {
    const files = await someFiles(place.random, `fetched-${n}`, place.random.between(2, 6));
    const folder = `/fetched/${n}`;
    const note = place.random.bytes(40);
    const addresses = files.map(({ name, data }) => place.outside.offer(name, data));
    const { body } = await place.caller.ask({
      method: 'POST',
      path: '/intake/addresses',
      json: {
        folder,
        addresses: [...addresses, `data:application/octet-stream;base64,${note.toString('base64')}`],
      },
      once: `addresses-${n}`,
    });
    for (const { name, data } of files) place.ledger.keep(folder, name, data);
    place.ledger.keep(folder, 'unnamed', note);
    await endOf(place, body.run.id, files.length + 1);
  },
};

/** @type {Person} */
export const manifestSender = {
  name: 'manifests',
  turn: async (place, n) => {
    const files = await someFiles(place.random, `row-${n}`, place.random.between(2, 8));
    const rows = files.map(
      ({ name, data }) => `${place.outside.offer(name, data)},${name},Lamp of ${name},/listed`,
    );
    const { body } = await place.caller.ask({
      method: 'POST',
      path: '/intake/manifest',
      json: { content: ['source,name,alt,folder', ...rows].join('\n'), folder: '/listed' },
      once: `manifest-${n}`,
    });
    for (const { name, data } of files) place.ledger.keep('/listed', name, data, { alt: `Lamp of ${name}` });
    await endOf(place, body.run.id, files.length);
  },
};
