import type { EditConflict } from '@uniferum/core/shared';

interface ConflictsProps<Fields> {
  /** What was edited, such as "this asset". */
  what: string;
  conflicts: readonly EditConflict<Fields>[];
  wordsOf: (field: keyof Fields & string) => string;
  onChoose: (field: keyof Fields & string, value: unknown) => void;
}

/** Fields that somebody else changed, too: both values, of which one is saved. */
export function Conflicts<Fields>({ what, conflicts, wordsOf, onChoose }: ConflictsProps<Fields>) {
  if (conflicts.length === 0) return null;
  return (
    <section role="alert" className="border-l-2 border-ochre bg-ochre/10 px-3 py-2 text-sm">
      <p className="font-medium">
        Somebody else changed {what} while you were editing. Choose which values to save.
      </p>
      {conflicts.map(({ field, mine, theirs }) => (
        <fieldset key={field} className="pt-2">
          <legend className="pt-2 font-medium">{wordsOf(field)}</legend>
          <Value name={field} label="Yours" value={mine} isDefault onChoose={() => onChoose(field, mine)} />
          <Value name={field} label="Theirs" value={theirs} onChoose={() => onChoose(field, theirs)} />
        </fieldset>
      ))}
    </section>
  );
}

interface ValueProps {
  name: string;
  label: string;
  value: unknown;
  isDefault?: boolean;
  onChoose: () => void;
}

function Value({ name, label, value, isDefault = false, onChoose }: ValueProps) {
  return (
    <label className="flex items-baseline gap-2">
      <input
        type="radio"
        name={`conflict-${name}`}
        defaultChecked={isDefault}
        className="accent-oxide"
        onChange={onChoose}
      />
      <span className="w-12 shrink-0 text-soft">{label}</span>
      <span className="min-w-0 break-words">{wordsOfValue(value)}</span>
    </label>
  );
}

function wordsOfValue(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'empty';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return Array.isArray(value) ? value.join(', ') || 'empty' : String(value);
}
