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
  /** As they are seen here: what was placed last may still be on its way. */
  slots: SitePageAnswer['slots'];
  regions: SitePageAnswer['regions'];
  /** Notes a change; it is saved after a pause. */
  change: (patch: SitePagePatch) => void;
  /** Notes that the text has changed. It is read when it is saved: a long one takes longer to write out than to type. */
  changeBody: (read: () => string) => void;
  /** Saves at once, with whether it is published. @returns whether it was saved */
  saveNow: (more?: SitePagePatch, options?: { force?: boolean }) => Promise<boolean>;
  /** Puts files into slots or regions, and saves that alone: where it is refused, the files stay as they were. */
  place: (placed: Placed) => void;
  isSaved: boolean;
  isSaving: boolean;
  error: Error | null;
  /** Somebody else has saved the page since it was read. */
  isStale: boolean;
  /** Saves over what somebody else has saved. */
  keepMine: () => Promise<boolean>;
}

/** The files of some slots or regions, each complete. */
export type Placed = Partial<Pick<SitePageAnswer, 'slots' | 'regions'>>;

/**
 * A page that is written: changes are collected, and saved one request after the other, each over the state that the one
 * before has left.
 */
export function usePageDraft(opened: Tagged<SitePageAnswer>): PageDraft {
  const { page, save, send, enqueue, last } = useRequestQueue(opened);
  const [{ slots, regions }, setPlaced] = useState<Required<Placed>>(opened.value);
  const [isDirty, setDirty] = useState(false);
  const waiting = useRef<SitePagePatch>({});
  const readBody = useRef<(() => string) | null>(null);
  const timer = useRef<number | undefined>(undefined);
  const saveAll = useCallback(
    (more: SitePagePatch, options: SaveOptions) => {
      window.clearTimeout(timer.current);
      return enqueue(async () => {
        const body = readBody.current?.();
        const patch = { ...waiting.current, ...(body !== undefined && { body }), ...more };
        if (Object.keys(patch).length === 0) return true;
        waiting.current = {};
        readBody.current = null;
        const isDone = await send(patch, options);
        if (isDone) setDirty(Object.keys(waiting.current).length > 0 || readBody.current !== null);
        else {
          // What was refused is still to be saved, but not published with it; a newer change of a field wins.
          const { state: _, ...kept } = patch;
          waiting.current = { ...kept, ...waiting.current };
        }
        return isDone;
      });
    },
    [enqueue, send],
  );
  const saveSoon = useCallback(() => {
    setDirty(true);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => void saveAll({}, { autosave: true }), PAUSE_MS);
  }, [saveAll]);
  const change = useCallback(
    (patch: SitePagePatch) => {
      waiting.current = { ...waiting.current, ...patch };
      saveSoon();
    },
    [saveSoon],
  );
  const changeBody = useCallback(
    (read: () => string) => {
      readBody.current = read;
      saveSoon();
    },
    [saveSoon],
  );
  const place = (placed: Placed) => {
    setPlaced((before) => ({
      slots: { ...before.slots, ...placed.slots },
      regions: { ...before.regions, ...placed.regions },
    }));
    void enqueue(async () => {
      const isDone = await send(toIds(placed), {});
      if (!isDone) setPlaced(last.current.value);
      return isDone;
    });
  };
  useEffect(() => () => window.clearTimeout(timer.current), []);
  useUnsavedChanges(isDirty ? 'What you wrote last has not been saved.' : null);
  const isOld = save.error !== null && isStale(save.error);
  return {
    ...{ page, slots, regions, change, changeBody, place },
    saveNow: (more = {}, options = {}) => saveAll(more, options),
    isSaved: !isDirty,
    isSaving: save.isPending,
    error: isOld ? null : save.error,
    isStale: isOld,
    keepMine: () => {
      last.current = { ...last.current, etag: undefined };
      return saveAll({}, {});
    },
  };
}

/** Sends changes of a page one after the other, each over the state that the one before has left. */
function useRequestQueue(opened: Tagged<SitePageAnswer>) {
  const { id } = opened.value;
  const [page, setPage] = useState(opened.value);
  const { save } = usePageChanges();
  const last = useRef<{ value: SitePageAnswer; etag: string | undefined }>(opened);
  const running = useRef<Promise<boolean>>(Promise.resolve(true));
  const mutate = save.mutateAsync;
  const send = useCallback(
    async (patch: SitePagePatch, options: SaveOptions) => {
      const { etag } = last.current;
      try {
        last.current = await mutate({
          ...{ id, patch },
          options: { ...options, ...(etag !== undefined && { ifMatch: etag }) },
        });
      } catch {
        return false;
      }
      setPage(last.current.value);
      return true;
    },
    [id, mutate],
  );
  const enqueue = useCallback((work: () => Promise<boolean>) => {
    running.current = running.current.then(work);
    return running.current;
  }, []);
  return { page, save, send, enqueue, last };
}

interface SaveOptions {
  force?: boolean;
  autosave?: boolean;
}

function toIds({ slots, regions }: Placed): SitePagePatch {
  const each = <In, Out>(record: Record<string, In[]>, one: (entry: In) => Out) =>
    Object.fromEntries(Object.entries(record).map(([name, entries]) => [name, entries.map(one)]));
  return {
    ...(slots && { slots: each(slots, ({ id }) => id) }),
    ...(regions && { regions: each(regions, (entry) => ({ ...entry, asset: entry.asset.id })) }),
  };
}
