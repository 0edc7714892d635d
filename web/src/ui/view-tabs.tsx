import { classNames } from './class-names.js';

interface ViewTabsProps<Id extends string> {
  label: string;
  tabs: readonly { id: Id; name: string }[];
  chosen: Id;
  onChoose: (id: Id) => void;
}

/** Chooses between views that lie in the same place. */
export function ViewTabs<Id extends string>({ label, tabs, chosen, onChoose }: ViewTabsProps<Id>) {
  return (
    <div role="group" aria-label={label} className="flex gap-4 border-b border-rule px-4">
      {tabs.map(({ id, name }) => (
        <button
          key={id}
          type="button"
          aria-pressed={id === chosen}
          onClick={() => onChoose(id)}
          className={classNames(
            'border-b-2 py-2 text-sm',
            id === chosen ? 'border-oxide font-medium' : 'border-transparent text-soft hover:text-ink',
          )}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
