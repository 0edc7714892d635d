import type { FacetCount } from '@uniferum/client';
import { formatNumber } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { quoteValue, withTerm } from './filter-terms.js';
import { useFacets } from './hooks.js';
import { Months } from './months.js';

interface FacetsProps {
  q: string;
  folder: string;
  deep: boolean;
  onSearch: (q: string) => void;
}

/** Facets of the results: a click narrows the filter, a brush over the months narrows it by time. */
export function Facets({ q, folder, deep, onSearch }: FacetsProps) {
  const { data, error, refetch } = useFacets({ q, folder, deep });
  if (!data)
    return (
      <div className="h-[9.5rem] border-b border-rule px-6 py-2">
        {error && <ErrorNotice error={error} onRetry={() => void refetch()} />}
      </div>
    );
  const narrow = (field: string) => (name: string) => onSearch(withTerm(q, field, quoteValue(name)));
  return (
    <section
      aria-label="Facets of the results"
      className="grid h-[9.5rem] shrink-0 overflow-x-auto grid-cols-[8rem_11rem_minmax(10rem,1fr)_minmax(10rem,1fr)_minmax(20rem,2fr)] gap-6 border-b border-rule bg-surface px-6 py-2"
    >
      <FacetList title="Kinds" counts={data.kinds} onChoose={narrow('kind')} />
      <FacetList title="Types" counts={data.types} onChoose={narrow('type')} />
      <FacetList title="Keywords" counts={data.keywords} onChoose={narrow('keyword')} />
      <FacetList title="Credits" counts={data.credits} onChoose={narrow('credit')} />
      <Months counts={data.captured} onBrush={(span) => onSearch(withTerm(q, 'captured', span))} />
    </section>
  );
}

interface FacetListProps {
  title: string;
  counts: readonly FacetCount[];
  onChoose: (name: string) => void;
}

function FacetList({ title, counts, onChoose }: FacetListProps) {
  return (
    <div className="flex min-h-0 flex-col">
      <h2 className="eyebrow">{title}</h2>
      {counts.length === 0 && <p className="text-sm text-soft">none</p>}
      <ul className="min-h-0 overflow-y-auto pr-2">
        {counts.map(({ name, items }) => (
          <li key={name}>
            <button
              type="button"
              className="flex w-full items-baseline gap-2 py-0.5 text-left text-sm hover:text-oxide"
              onClick={() => onChoose(name)}
            >
              <span className="truncate">{name}</span>
              <span className="figure ml-auto text-soft">{formatNumber(items)}</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
