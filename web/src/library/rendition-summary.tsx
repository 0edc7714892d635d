import type { AssetRendition } from '@uniferum/core/library';
import { StateMark } from '../ui/state-mark.js';

/** How many renditions are in which state, the most pressing state first. */
export function RenditionSummary({ renditions }: { renditions: readonly AssetRendition[] }) {
  const pressing = (
    ['failed', 'outdated', 'due', 'fresh', 'on-request', 'not-applicable', 'surplus'] as const
  ).find((state) => renditions.some((rendition) => rendition.state === state));
  if (!pressing) return <span className="text-soft">none</span>;
  return <StateMark state={pressing} count={renditions.filter(({ state }) => state === pressing).length} />;
}
