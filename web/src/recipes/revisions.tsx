import type { PortableRecipe } from '@uniferum/core/recipes';
import { Button } from '../ui/button.js';
import { formatMoment } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { Popup } from '../ui/popup.js';
import { useRevisions } from './hooks.js';

/** The earlier revisions of a recipe, any of which can be loaded. */
export function Revisions({ name, onTake }: { name: string; onTake: (recipe: PortableRecipe) => void }) {
  return (
    <Popup
      name="Revisions"
      className="max-h-96 w-[30rem] overflow-y-auto"
      button={<Button look="quiet">Revisions</Button>}
    >
      <RevisionList name={name} onTake={onTake} />
    </Popup>
  );
}

function RevisionList({ name, onTake }: { name: string; onTake: (recipe: PortableRecipe) => void }) {
  const { data: revisions = [], error } = useRevisions(name);
  if (error) return <ErrorNotice error={error} />;
  const first = revisions.length - 1;
  return (
    <ul>
      {revisions.map((revision, index) => (
        <li
          key={revision.revision}
          className="grid grid-cols-[2rem_minmax(0,1fr)_auto] gap-3 border-b border-rule px-4 py-2 text-sm"
        >
          <span className="figure leading-5">{revision.revision}</span>
          <span>
            {describeChanges(revision.changes, index === first)}
            <span className="block text-xs text-soft">
              {revision.by}, {formatMoment(revision.at)}
            </span>
          </span>
          {index > 0 && (
            <Button
              look="quiet"
              className="h-6"
              aria-label={`Load revision ${revision.revision}`}
              onClick={() => onTake({ ...revision.recipe, name })}
            >
              Load
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}

function describeChanges(changes: readonly string[], isFirst: boolean): string {
  if (changes.length > 0) return changes.join('; ');
  return isFirst ? 'made' : 'title, folders or time';
}
