import type { AssetTexts } from '@uniferum/core/library';
import { defineRun } from '../runs/run-kind.js';
import type { IntakeContext } from './incoming.js';

/** One file to be imported from a source. */
export interface IntakeSource {
  name: string | null;
  folder: string;
  texts: Partial<AssetTexts>;
  capturedAt: string | null;
  from:
    | { kind: 'archive'; sha256: string; entry: number }
    | { kind: 'inbox'; path: string; mode: 'copy' | 'move' | 'place' }
    | { kind: 'address'; address: string };
}

/** The files of one item. */
export interface IntakeInput {
  intake: IntakeContext;
  files: IntakeSource[];
}

export const intakeRun = defineRun<IntakeInput>({ kind: 'intake', label: 'Import files' });
