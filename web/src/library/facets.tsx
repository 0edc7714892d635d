import type { FacetCount } from '@uniferum/client';
import { brushX } from 'd3-brush';
import { scaleBand, scaleLinear } from 'd3-scale';
import { select } from 'd3-selection';
import { useEffect, useMemo, useRef } from 'react';
import { formatNumber } from '../ui/format.js';
import { useElementSize } from '../ui/use-element-size.js';
import { quoteValue, withTerm } from './filter-terms.js';
import { useFacets } from './hooks.js';

/** What is found, counted: a press narrows the filter, a brush over the months narrows it by time. */
export function Facets({
  q,
  folder,
  deep,
  onSearch,
}: {
  q: string;
  folder: string;
  deep: boolean;
  onSearch: (q: string) => void;
}) {
  const { data } = useFacets({ q, folder, deep });
  if (!data) return <div className="h-[9.5rem] border-b border-rule" />;
  const narrow = (field: string) => (name: string) => onSearch(withTerm(q, field, quoteValue(name)));
  return (
    <section
      aria-label="Facets of the results"
      className="grid h-[9.5rem] grid-cols-[8rem_11rem_minmax(10rem,1fr)_minmax(10rem,1fr)_minmax(20rem,2fr)] gap-6 border-b border-rule bg-surface px-6 py-2"
    >
      <FacetList title="Kinds" counts={data.kinds} onChoose={narrow('kind')} />
      <FacetList title="Types" counts={data.types} onChoose={narrow('type')} />
      <FacetList title="Keywords" counts={data.keywords} onChoose={narrow('keyword')} />
      <FacetList title="Credits" counts={data.credits} onChoose={narrow('credit')} />
      <Months counts={data.captured} onBrush={(span) => onSearch(withTerm(q, 'captured', span))} />
    </section>
  );
}

function FacetList({
  title,
  counts,
  onChoose,
}: {
  title: string;
  counts: readonly FacetCount[];
  onChoose: (name: string) => void;
}) {
  return (
    <div className="flex min-h-0 flex-col">
      <h2 className="eyebrow">{title}</h2>
      {counts.length === 0 && <p className="text-sm text-soft">none</p>}
      <ul className="min-h-0 overflow-y-auto pr-2">
        {counts.map(({ name, items }) => (
          <li key={name}>
            <button
              type="button"
              className="flex w-full items-baseline gap-2 text-left text-sm hover:text-oxide"
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

const HEIGHT = 92;

/** When the pictures were taken, by month. Drawing over it takes a span. */
function Months({
  counts,
  onBrush,
}: {
  counts: readonly FacetCount[];
  onBrush: (span: string | null) => void;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const layer = useRef<SVGGElement>(null);
  const { width } = useElementSize(frame);
  const months = useMemo(() => fillMonths(counts), [counts]);
  const x = useMemo(
    () =>
      scaleBand<string>()
        .domain(months.map(({ name }) => name))
        .range([0, width])
        .paddingInner(0.15),
    [months, width],
  );
  const y = scaleLinear()
    .domain([0, Math.max(1, ...months.map(({ items }) => items))])
    .range([0, HEIGHT]);
  useEffect(() => {
    if (!layer.current || width === 0 || months.length === 0) return;
    const brush = brushX<unknown>()
      .extent([
        [0, 0],
        [width, HEIGHT],
      ])
      .on('end', ({ selection, sourceEvent }) => {
        if (!sourceEvent) return;
        const chosen = selection
          ? months.filter(({ name }) => {
              const middle = (x(name) ?? 0) + x.bandwidth() / 2;
              return middle >= selection[0] && middle <= selection[1];
            })
          : [];
        const [first, last] = [chosen.at(0)?.name, chosen.at(-1)?.name];
        onBrush(first && last ? (first === last ? first : `${first}..${last}`) : null);
      });
    const group = select(layer.current);
    group.call(brush as never);
    return () => {
      group.on('.brush', null).selectAll('*').remove();
    };
  }, [width, months, x, onBrush]);
  const [first, last] = [months.at(0)?.name, months.at(-1)?.name];
  return (
    <div className="flex min-w-0 flex-col">
      <h2 className="eyebrow">Taken, by month; draw over it to take a span</h2>
      <div ref={frame} className="min-w-0 flex-1">
        {months.length === 0 ? (
          <p className="text-sm text-soft">No capture dates are known.</p>
        ) : (
          <svg width={width} height={HEIGHT} role="img" aria-label={`Capture dates from ${first} to ${last}`}>
            {months.map(({ name, items }) => (
              <rect
                key={name}
                x={x(name) ?? 0}
                y={HEIGHT - y(items)}
                width={Math.max(1, x.bandwidth())}
                height={y(items)}
                className="fill-rule-strong"
              >
                <title>{`${name}: ${formatNumber(items)}`}</title>
              </rect>
            ))}
            <line x1={0} x2={width} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} className="stroke-rule-strong" />
            <g ref={layer} className="[&_.selection]:fill-oxide/30 [&_.selection]:stroke-oxide" />
          </svg>
        )}
        <p className="figure flex justify-between text-soft">
          <span>{first}</span>
          <span>{last !== first && last}</span>
        </p>
      </div>
    </div>
  );
}

/** Months without a picture are shown as gaps, not left out. */
function fillMonths(counts: readonly FacetCount[]): FacetCount[] {
  const [first, last] = [counts.at(0)?.name, counts.at(-1)?.name];
  if (!first || !last) return [];
  const known = new Map(counts.map(({ name, items }) => [name, items]));
  const months: FacetCount[] = [];
  const toNumber = (month: string) => Number(month.slice(0, 4)) * 12 + Number(month.slice(5)) - 1;
  for (let at = toNumber(first); at <= toNumber(last) && months.length < 2400; at += 1) {
    const name = `${Math.floor(at / 12)}-${String((at % 12) + 1).padStart(2, '0')}`;
    months.push({ name, items: known.get(name) ?? 0 });
  }
  return months;
}
