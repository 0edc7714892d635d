import { defineFilterField } from '@uniferum/core/library';
import type { FilterJoint } from '../../library/joints.js';
import { escapeLike } from '../../shared/database.js';

/** The meaning of `note:`: whether there is a note, or words in it. */
interface NoteCondition {
  isWritten: boolean;
  contains: string | null;
}

/** Implements `note:any`, `note:none` and `note:words`. */
export const noteFilter: FilterJoint<NoteCondition> = {
  field: defineFilterField<NoteCondition>({
    name: 'note',
    hint: 'words in its note, any or none',
    example: 'note:any',
    values: ['any', 'none'],
    read({ value }) {
      if (value === 'any' || value === 'none') return { isWritten: value === 'any', contains: null };
      return { isWritten: true, contains: value };
    },
  }),
  toSql: ({ isWritten, contains }) => ({
    sql: `${isWritten ? '' : 'NOT '}EXISTS (SELECT 1 FROM asset_notes WHERE asset_notes.asset_id = assets.id${contains === null ? '' : ' AND asset_notes.note LIKE ?'})`,
    values: contains === null ? [] : [`%${escapeLike(contains)}%`],
  }),
  count: async () => null,
};
