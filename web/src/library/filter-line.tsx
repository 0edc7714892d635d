import { isUniferumApiError } from '@uniferum/client';
import type { Completion } from '@uniferum/core/library';
import { Search, X } from 'lucide-react';
import { useId } from 'react';
import { IconButton } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { Input } from '../ui/field.js';
import { useShortcut } from '../ui/use-shortcut.js';
import { FilterHelp } from './filter-help.js';
import { SavedFilters } from './saved-filters.js';
import { useFilterText } from './use-filter-text.js';

interface FilterLineProps {
  q: string;
  error: unknown;
  onSearch: (q: string) => void;
}

/** The search input of the library, with completion and error messages. */
export function FilterLine({ q, error, onSearch }: FilterLineProps) {
  const id = useId();
  const line = useFilterText(q, onSearch);
  useShortcut('/', (event) => {
    event.preventDefault();
    line.input.current?.focus();
  });
  return (
    <search className="relative flex min-w-64 flex-1 max-md:basis-full items-center gap-1">
      <div className="relative min-w-0 flex-1">
        <Search className="pointer-events-none absolute top-2 left-2.5 size-4 text-soft" aria-hidden="true" />
        <FilterInput id={id} line={line} isWrong={Boolean(error)} />
        {line.text !== '' && (
          <IconButton name="Clear filter" className="absolute top-0.5 right-0.5 size-7" onClick={line.clear}>
            <X className="size-3.5" />
          </IconButton>
        )}
        <CompletionList id={id} completions={line.completions} active={line.active} onTake={line.take} />
        {Boolean(error) && !line.isOpen && <FilterFault error={error} onTake={line.search} />}
      </div>
      <FilterHelp />
      <SavedFilters q={q} onSearch={line.search} />
    </search>
  );
}

type FilterText = ReturnType<typeof useFilterText>;

interface FilterInputProps {
  id: string;
  line: FilterText;
  isWrong: boolean;
}

function FilterInput({ id, line, isWrong }: FilterInputProps) {
  return (
    <Input
      ref={line.input}
      role="combobox"
      aria-label="Filter"
      aria-expanded={line.completions.length > 0}
      aria-controls={`${id}-list`}
      aria-autocomplete="list"
      aria-activedescendant={line.active >= 0 ? `${id}-${line.active}` : undefined}
      aria-invalid={isWrong}
      autoComplete="off"
      spellCheck={false}
      placeholder="Words, or kind:image size>2mb alt:none captured:2025-05..2025-09"
      className={classNames('pr-8 pl-8 font-mono text-xs', isWrong && 'border-fault')}
      value={line.text}
      onChange={({ target }) => line.type(target.value, target.selectionStart ?? target.value.length)}
      onFocus={() => line.setOpen(true)}
      onBlur={() => line.setOpen(false)}
      onSelect={(event) => line.setCaret(event.currentTarget.selectionStart ?? 0)}
      onKeyDown={line.onKeyDown}
    />
  );
}

interface CompletionListProps {
  id: string;
  completions: readonly Completion[];
  active: number;
  onTake: (completion: Completion) => void;
}

function CompletionList({ id, completions, active, onTake }: CompletionListProps) {
  if (completions.length === 0) return null;
  return (
    <div
      id={`${id}-list`}
      aria-label="Suggestions"
      role="listbox"
      className="absolute top-9 left-0 z-30 w-[26rem] border border-rule-strong bg-raised py-1"
    >
      {completions.map((completion, index) => (
        <div
          key={completion.label}
          id={`${id}-${index}`}
          role="option"
          tabIndex={-1}
          aria-selected={index === active}
          // Before the input loses focus.
          onMouseDown={(event) => {
            event.preventDefault();
            onTake(completion);
          }}
          className={classNames(
            'flex cursor-pointer items-baseline gap-4 px-3 py-0.5 text-sm',
            index === active && 'bg-oxide-wash',
          )}
        >
          <span className="font-mono text-xs">{completion.label}</span>
          <span className="ml-auto truncate text-soft">{completion.hint}</span>
        </div>
      ))}
    </div>
  );
}

/** The error in the filter, its position, and a suggestion. */
function FilterFault({ error, onTake }: { error: unknown; onTake: (q: string) => void }) {
  if (!isUniferumApiError(error)) return null;
  const fault = error.problem.errors?.find(({ field }) => field === 'q');
  if (!fault) return null;
  const { suggestion } = fault;
  return (
    <p
      role="alert"
      className="absolute top-9 left-0 z-20 flex items-baseline gap-3 border border-fault bg-raised px-3 py-1 text-sm"
    >
      <span className="text-fault">
        At character {(fault.position ?? 0) + 1}: {fault.message}.
      </span>
      {suggestion && (
        <button
          type="button"
          className="font-mono text-xs text-oxide hover:underline"
          onClick={() => onTake(suggestion)}
        >
          {suggestion}
        </button>
      )}
    </p>
  );
}
