import { defineRun } from '../../runs/run-kind.js';
import { deleteNotes } from './queries.js';

export const clearNotes = defineRun<{ ids: string[] }>({ kind: 'notes-clear', label: 'Clear notes' });

/** Deletes the notes of some assets, in the transaction that ends the item. */
export const clearNotesHandler = clearNotes.bind({
  work: async ({ ids }) => ({
    outcome: 'done',
    record: async (tx) => ({ done: await deleteNotes(tx, ids), skipped: 0, failed: 0 }),
  }),
});
