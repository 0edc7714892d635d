import { isUniferumApiError } from '@uniferum/client';
import { type Completion, completeFilter } from '@uniferum/core/library';
import { Search, X } from 'lucide-react';
import { type KeyboardEvent, useEffect, useId, useMemo, useRef, useState } from 'react';
import { flushSync } from 'react-dom';
import { useHotkeys } from 'react-hotkeys-hook';
import { useComposition } from '../console/composition.js';
import { IconButton } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { Input } from '../ui/field.js';
import { FilterHelp } from './filter-help.js';
import { useVocabulary } from './hooks.js';
import { SavedFilters } from './saved-filters.js';

/** The one line in which the library is searched, with completion and what is wrong with it. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one box with its keys and its list
export function FilterLine({
  q,
  error,
  onSearch,
}: {
  q: string;
  error: unknown;
  onSearch: (q: string) => void;
}) {
  const [text, setText] = useState(q);
  const [caret, setCaret] = useState(q.length);
  const [isOpen, setOpen] = useState(false);
  const [active, setActive] = useState(-1);
  const input = useRef<HTMLInputElement>(null);
  const id = useId();
  const vocabulary = useVocabulary();
  const { filterFields } = useComposition();
  useEffect(() => setText(q), [q]);
  useHotkeys('/', (event) => {
    event.preventDefault();
    input.current?.focus();
  });
  const completions = useMemo(
    () => (isOpen ? completeFilter(text, caret, vocabulary, filterFields) : []),
    [isOpen, text, caret, vocabulary, filterFields],
  );
  const take = (completion: Completion) => {
    // At once, not in the next frame: what is typed until then would have the caret pulled back before it.
    flushSync(() => {
      setText(completion.text);
      setCaret(completion.caret);
      setActive(-1);
    });
    input.current?.setSelectionRange(completion.caret, completion.caret);
  };
  const search = (wanted: string) => {
    setOpen(false);
    onSearch(wanted.trim());
  };
  const step = (by: 1 | -1) => setActive((active + by + completions.length) % completions.length);
  const hasList = completions.length > 0;
  const keys: Record<string, (() => void) | false> = {
    ArrowDown: hasList && (() => step(1)),
    ArrowUp: hasList && (() => step(-1)),
    Tab: completions[active] !== undefined && (() => take(completions[active] as Completion)),
    Enter: () => (completions[active] ? take(completions[active]) : search(text)),
    Escape: () => (hasList ? setOpen(false) : input.current?.blur()),
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const work = keys[event.key];
    if (!work) return;
    event.preventDefault();
    event.stopPropagation();
    work();
  };
  return (
    <search className="relative flex min-w-0 flex-1 items-center gap-1">
      <div className="relative min-w-0 flex-1">
        <Search className="pointer-events-none absolute top-2 left-2.5 size-4 text-soft" aria-hidden="true" />
        <Input
          ref={input}
          role="combobox"
          aria-label="Filter"
          aria-expanded={completions.length > 0}
          aria-controls={`${id}-list`}
          aria-autocomplete="list"
          aria-activedescendant={active >= 0 ? `${id}-${active}` : undefined}
          aria-invalid={Boolean(error)}
          autoComplete="off"
          spellCheck={false}
          placeholder="Words, or kind:image size>2mb alt:none captured:2025-05..2025-09"
          className={classNames('pr-8 pl-8 font-mono text-xs', Boolean(error) && 'border-fault')}
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setCaret(event.target.selectionStart ?? event.target.value.length);
            setOpen(true);
            setActive(-1);
          }}
          onFocus={() => setOpen(true)}
          onBlur={() => setOpen(false)}
          onSelect={(event) => setCaret(event.currentTarget.selectionStart ?? 0)}
          onKeyDown={onKeyDown}
        />
        {text !== '' && (
          <IconButton
            name="Clear the filter"
            className="absolute top-0.5 right-0.5 size-7"
            onClick={() => {
              // What was typed and not searched for goes, too.
              setText('');
              search('');
            }}
          >
            <X className="size-3.5" />
          </IconButton>
        )}
        {completions.length > 0 && (
          <div
            id={`${id}-list`}
            aria-label="What could stand here"
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
                // Before the input loses its focus.
                onMouseDown={(event) => {
                  event.preventDefault();
                  take(completion);
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
        )}
        {Boolean(error) && !isOpen && <FilterFault error={error} onTake={search} />}
      </div>
      <FilterHelp />
      <SavedFilters q={q} onSearch={search} />
    </search>
  );
}

/** What is wrong with the filter, where, and what would do instead. */
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
