import { ASSET_SORTS, type AssetSort, DEFAULT_SORT } from '@uniferum/core/library';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { libraryAddress } from './address.js';

export interface LibraryView {
  /** The filter. */
  q: string;
  /** Whether the facets are shown. */
  hasFacets: boolean;
  folder: string;
  layout: 'sheet' | 'table';
  sort: AssetSort;
  deep: boolean;
  /** The asset whose line is open. */
  asset: string | null;
}

/** The library's view is part of the URL: it survives a reload and can be shared. */
export function useLibraryView(): { view: LibraryView; show: (change: Partial<LibraryView>) => void } {
  const params = useParams();
  const navigate = useNavigate();
  const [search] = useSearchParams();
  const sort = search.get('sort');
  const view: LibraryView = {
    q: search.get('q') ?? '',
    hasFacets: search.get('counts') === 'yes',
    folder: `/${params['*'] ?? ''}`.replace(/(.)\/$/, '$1'),
    layout: search.get('as') === 'table' ? 'table' : 'sheet',
    sort: ASSET_SORTS.find((known) => known === sort) ?? DEFAULT_SORT,
    deep: search.get('deep') !== 'no',
    asset: search.get('asset'),
  };
  const show = (change: Partial<LibraryView>) => {
    const next = {
      ...view,
      ...(change.folder !== undefined && change.folder !== view.folder && { asset: null }),
      ...change,
    };
    const query = new URLSearchParams();
    if (next.q) query.set('q', next.q);
    if (next.hasFacets) query.set('counts', 'yes');
    if (next.layout === 'table') query.set('as', 'table');
    if (next.sort !== DEFAULT_SORT) query.set('sort', next.sort);
    if (!next.deep) query.set('deep', 'no');
    if (next.asset) query.set('asset', next.asset);
    // Selecting another asset does not add a history entry.
    void navigate(`${libraryAddress(next.folder)}${query.size > 0 ? `?${query}` : ''}`, {
      replace: next.folder === view.folder && next.q === view.q,
    });
  };
  return { view, show };
}
