import { type Completion, completeFilter } from '@uniferum/core/library';
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react';
import { flushSync } from 'react-dom';
import { useComposition } from '../console/composition.js';
import { useVocabulary } from './hooks.js';

/** The text being typed in the filter input: its completions, and the keys that select among them. */
export function useFilterText(q: string, onSearch: (q: string) => void) {
  const [text, setText] = useState(q);
  const [caret, setCaret] = useState(q.length);
  const [isOpen, setOpen] = useState(false);
  const [active, setActive] = useState(-1);
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => setText(q), [q]);
  const completions = useCompletions(isOpen, text, caret);
  const take = (completion: Completion) => {
    // Synchronously: otherwise the caret would be moved back while the user is already typing on.
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
  const type = (typed: string, at: number) => {
    setText(typed);
    setCaret(at);
    setOpen(true);
    setActive(-1);
  };
  // Also discards text that was typed but not searched for.
  const clear = () => {
    setText('');
    search('');
  };
  const close = () => (completions.length > 0 ? setOpen(false) : input.current?.blur());
  const onKeyDown = keysOf(completions, active, {
    setActive,
    take,
    enter: () => search(text),
    escape: close,
  });
  return {
    input,
    text,
    isOpen,
    active,
    completions,
    take,
    search,
    type,
    clear,
    setOpen,
    setCaret,
    onKeyDown,
  };
}

function useCompletions(isOpen: boolean, text: string, caret: number): Completion[] {
  const vocabulary = useVocabulary({ isTyping: isOpen });
  const { filterFields } = useComposition();
  return useMemo(
    () => (isOpen ? completeFilter(text, caret, vocabulary, filterFields) : []),
    [isOpen, text, caret, vocabulary, filterFields],
  );
}

interface KeyWork {
  setActive: (index: number) => void;
  take: (completion: Completion) => void;
  enter: () => void;
  escape: () => void;
}

/** Keys of a list below an input: arrow keys cycle, Tab and Enter accept the active entry. */
function keysOf(completions: readonly Completion[], active: number, work: KeyWork) {
  const { length } = completions;
  const chosen = completions[active];
  const step = (by: 1 | -1) => work.setActive((active + by + length) % length);
  const keys: Record<string, (() => void) | false> = {
    ArrowDown: length > 0 && (() => step(1)),
    ArrowUp: length > 0 && (() => step(-1)),
    Tab: chosen !== undefined && (() => work.take(chosen)),
    Enter: () => (chosen ? work.take(chosen) : work.enter()),
    Escape: work.escape,
  };
  return (event: KeyboardEvent) => {
    const press = keys[event.key];
    if (!press) return;
    event.preventDefault();
    event.stopPropagation();
    press();
  };
}
