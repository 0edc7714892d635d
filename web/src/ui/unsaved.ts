import { createContext, useCallback, useContext, useEffect, useId, useRef } from 'react';
import { create } from 'zustand';

interface Unsaved {
  /** What would be lost, in a sentence. */
  text: string;
  /** The dialog that contains the form; null for a page. */
  dialog: string | null;
}

interface UnsavedState {
  forms: ReadonlyMap<string, Unsaved>;
}

const useForms = create<UnsavedState>(() => ({ forms: new Map() }));

/** The id of the dialog around a form. */
export const DialogContext = createContext<string | null>(null);

function put(id: string, unsaved: Unsaved | null): void {
  const forms = new Map(useForms.getState().forms);
  if (unsaved) forms.set(id, unsaved);
  else if (!forms.delete(id)) return;
  useForms.setState({ forms });
}

/**
 * Registers unsaved changes, so that closing the dialog around them or leaving the page asks first.
 *
 * @param text what would be lost, in a sentence; null when nothing would
 * @param ownDialog the id of the dialog that is closed with it. @defaultValue the one around it
 * @returns a function to call once the changes are saved, before the form is closed or the page is left
 */
export function useUnsavedChanges(text: string | null, ownDialog?: string): () => void {
  const id = useId();
  const around = useContext(DialogContext);
  const dialog = ownDialog ?? around;
  const isReleased = useRef(false);
  useEffect(() => {
    put(id, text === null || isReleased.current ? null : { text, dialog });
  }, [id, text, dialog]);
  useEffect(() => () => put(id, null), [id]);
  return useCallback(() => {
    isReleased.current = true;
    put(id, null);
  }, [id]);
}

/** What closing a dialog would lose; null when nothing. */
export function unsavedIn(dialog: string): string | null {
  return find((form) => form.dialog === dialog);
}

/** What leaving the page would lose, with everything that is open on it; null when nothing. */
export function unsavedAnywhere(): string | null {
  return find(() => true);
}

/** What the page itself would lose, without the dialogs over it; null when nothing. */
export function unsavedOnPage(): string | null {
  return find((form) => form.dialog === null);
}

function find(isMeant: (form: Unsaved) => boolean): string | null {
  return [...useForms.getState().forms.values()].find(isMeant)?.text ?? null;
}

/** Tells whether anything on the page is unsaved. */
export function useHasUnsaved(): boolean {
  return useForms(({ forms }) => forms.size > 0);
}
