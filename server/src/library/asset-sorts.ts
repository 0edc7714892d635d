import type { SqlValue } from '../shared/database.js';

/** How a sort order of assets is read. */
export interface SortSpec {
  column: string;
  index: string;
  /** The index over all folders. */
  globalIndex: string;
  isTime: boolean;
}

export const SORTS: Record<'created' | 'name' | 'captured' | 'size', SortSpec> = {
  created: {
    column: 'created_at',
    index: 'assets_by_created',
    globalIndex: 'all_assets_by_created',
    isTime: true,
  },
  name: { column: 'name_key', index: 'assets_by_name', globalIndex: 'all_assets_by_name', isTime: false },
  captured: {
    column: 'captured_key',
    index: 'assets_by_captured',
    globalIndex: 'all_assets_by_captured',
    isTime: true,
  },
  size: { column: 'bytes', index: 'assets_by_size', globalIndex: 'all_assets_by_size', isTime: false },
};

/** Reads the position encoded in a cursor. */
export function readPosition(
  [key, id]: (string | number)[],
  { isTime }: SortSpec,
): { key: SqlValue; id: number } {
  return { key: isTime ? new Date(String(key)) : (key ?? null), id: Number(id) };
}
