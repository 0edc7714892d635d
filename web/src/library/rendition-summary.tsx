import type { AssetRendition } from '@uniferum/core/library';
import { StateMark } from '../ui/state-mark.js';

/** The number of renditions in each state, most urgent first. */
export function RenditionSummary({ renditions }: { renditions: readonly AssetRendition[] }) {
  const pressing = (
    ['failed', 'outdated', 'due', 'fresh', 'on-request', 'not-applicable', 'surplus'] as const
  ).find((state) => renditions.some((rendition) => rendition.state === state));
  if (!pressing) return <span className="text-soft">none</span>;
  return <StateMark state={pressing} count={renditions.filter(({ state }) => state === pressing).length} />;
}
