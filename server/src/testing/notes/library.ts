import Joi from 'joi';
import type { AssetField, AssetGuard, AssetListener, Objection } from '../../library/joints.js';
import { deleteNotes, readNotes, writeNote } from './queries.js';

/** The note in an asset's answers. */
export const noteField: AssetField<string | null> = {
  name: 'note',
  schema: Joi.string().allow(null),
  absent: null,
  read: (db, rows) =>
    readNotes(
      db,
      rows.map(({ id }) => id),
    ),
};

/** Prevents an asset from being binned if its note says so. */
export const noteGuard: AssetGuard = {
  name: 'notes',
  async judge(tx, changes) {
    const binned = changes.filter(({ kind }) => kind === 'bin');
    const notes = await readNotes(
      tx,
      binned.map(({ row }) => row.id),
    );
    return binned.flatMap(({ row }): Objection[] => {
      const note = notes.get(row.id);
      if (!note?.startsWith('keep')) return [];
      return [
        {
          asset: String(row.id),
          name: row.name,
          reason: {
            code: 'note-keeps',
            message: `${row.name} has the note "${note}". Change the note first.`,
            limit: null,
            actual: null,
            folder: null,
          },
          problem: 'conflict',
          isBlocking: true,
        },
      ];
    });
  },
};

/** Adds a note to new assets, and deletes notes of deleted ones. */
export const noteListener: AssetListener = {
  async arrived(tx, assets) {
    for (const { id, name } of assets)
      if (name.startsWith('noted')) await writeNote(tx, id, `arrived as ${name}`);
  },
  async purged(tx, ids) {
    await deleteNotes(tx, ids);
  },
};
