import type { SitePagePatch, Tagged } from '@uniferum/client';
import type { SitePageAnswer } from '@uniferum/core/pages';
import { useCallback, useEffect, useRef, useState } from 'react';
import { isStale } from '../ui/save-merged.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { usePageChanges } from './page-hooks.js';

/** So long nothing has to be typed before what was written is saved. */
const PAUSE_MS = 1500;

export interface PageDraft {
  page: SitePageAnswer;
  /** Notes a change; it is saved after a pause. */
  change: (patch: SitePagePatch) => void;
  /** Saves at once, with whether it is published. @returns whether it was saved */
  saveNow: (more?: SitePagePatch, options?: { force?: boolean }) => Promise<boolean>;
  isSaved: boolean;
  isSaving: boolean;
  error: Error | null;
  /** Somebody else has saved the page since it was read. */
  isStale: boolean;
  /** Saves over what somebody else has saved. */
  keepMine: () => Promise<boolean>;
}

/**
 * A page that is written: changes are collected, and saved one request after the other, each over the state that the one
 * before has left.
 */
export function usePageDraft(opened: Tagged<SitePageAnswer>): PageDraft {
  const [page, setPage] = useState(opened.value);
  const [isDirty, setDirty] = useState(false);
  const { save } = usePageChanges();
  const waiting = useRef<SitePagePatch>({});
  const etag = useRef<string | undefined>(opened.etag);
  const timer = useRef<number | undefined>(undefined);
  const running = useRef<Promise<boolean>>(Promise.resolve(true));
  const send = save.mutateAsync;
  const saveOnce = useCallback(
    async (more: SitePagePatch, options: { force?: boolean; autosave?: boolean }) => {
      const patch = { ...waiting.current, ...more };
      if (Object.keys(patch).length === 0) return true;
      waiting.current = {};
      try {
        const saved = await send({
          id: opened.value.id,
          patch,
          options: { ...options, ...(etag.current !== undefined && { ifMatch: etag.current }) },
        });
        etag.current = saved.etag;
        setPage(saved.value);
        setDirty(Object.keys(waiting.current).length > 0);
        return true;
      } catch {
        // What was refused is still to be saved; a newer change of the same field wins.
        const { state: _, ...kept } = patch;
        waiting.current = { ...kept, ...waiting.current };
        return false;
      }
    },
    [opened.value.id, send],
  );
  const queue = useCallback(
    (more: SitePagePatch, options: { force?: boolean; autosave?: boolean }) => {
      window.clearTimeout(timer.current);
      running.current = running.current.then(() => saveOnce(more, options));
      return running.current;
    },
    [saveOnce],
  );
  const change = useCallback(
    (patch: SitePagePatch) => {
      waiting.current = { ...waiting.current, ...patch };
      setDirty(true);
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(() => void queue({}, { autosave: true }), PAUSE_MS);
    },
    [queue],
  );
  useEffect(() => () => window.clearTimeout(timer.current), []);
  useUnsavedChanges(isDirty ? 'What you wrote last has not been saved.' : null);
  const isOld = save.error !== null && isStale(save.error);
  return {
    page,
    change,
    saveNow: (more = {}, options = {}) => queue(more, options),
    isSaved: !isDirty,
    isSaving: save.isPending,
    error: isOld ? null : save.error,
    isStale: isOld,
    keepMine: () => {
      etag.current = undefined;
      return queue({}, {});
    },
  };
}
