import { useCallback } from 'react';
import { useSearchParams } from 'react-router';

/** A value in the query of the address, so that the view can be shared and reloaded; null when it is not there. */
export function useAddressValue(name: string): [string | null, (value: string | null) => void] {
  const [search, setSearch] = useSearchParams();
  const set = useCallback(
    (value: string | null) =>
      setSearch(
        (before) => {
          const next = new URLSearchParams(before);
          if (value === null || value === '') next.delete(name);
          else next.set(name, value);
          return next;
        },
        { replace: true },
      ),
    [name, setSearch],
  );
  return [search.get(name), set];
}
