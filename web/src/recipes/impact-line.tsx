import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { PortableRecipe, RecipeImpact } from '@uniferum/core/recipes';
import { formatSeconds } from '../ui/format.js';
import { useDebounced } from '../ui/use-debounced.js';
import { useImpact } from './hooks.js';

interface ImpactLineProps {
  recipe: PortableRecipe;
  isNew: boolean;
  isSound: boolean;
}

/** The impact of saving, shown beforehand. */
export function ImpactLine({ recipe, isNew, isSound }: ImpactLineProps) {
  const settled = useDebounced(isSound ? recipe : null, 300);
  const { data, error } = useImpact(settled, isNew);
  return (
    <p className="min-w-0 flex-1 truncate text-sm text-soft" aria-live="polite">
      {error instanceof Error ? (
        <span className="text-fault">{error.message}</span>
      ) : data && isSound ? (
        describe(data, isNew)
      ) : (
        ''
      )}
    </p>
  );
}

function describe({ items, totals }: RecipeImpact, isNew: boolean): string {
  const { outdated, fresh, due, surplus, seconds, bytesNow, bytesAfter } = totals;
  const parts = [
    outdated > 0 && `${formatCount(outdated, 'file')} outdated`,
    fresh > 0 && `${formatCount(fresh, 'file')} fresh again`,
    due > 0 && `${formatCount(due, 'file')} due`,
    surplus > 0 && `${formatCount(surplus, 'file')} surplus`,
  ].filter((part) => part !== false);
  if (parts.length === 0)
    return isNew
      ? 'This recipe applies to no file yet.'
      : items.length === 0
        ? 'Nothing to save.'
        : 'Saving changes no file.';
  const work = [
    seconds !== null && outdated + due > 0 && `about ${formatSeconds(Math.max(1, seconds))} to make`,
    bytesAfter !== null &&
      outdated + due > 0 &&
      `${formatBytes(bytesNow)} now, about ${formatBytes(bytesAfter)} afterwards`,
  ].filter((part) => part !== false);
  return `After saving: ${parts.join(', ')}${work.length > 0 ? `; ${work.join('; ')}` : ''}.`;
}
