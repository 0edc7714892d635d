import type { FacetCount } from '@uniferum/client';
import { brushX } from 'd3-brush';
import { type ScaleBand, scaleBand, scaleLinear } from 'd3-scale';
import { select } from 'd3-selection';
import { type RefObject, useEffect, useMemo, useRef } from 'react';
import { formatNumber } from '../ui/format.js';
import { useElementSize } from '../ui/use-element-size.js';

const HEIGHT = 92;

interface MonthsProps {
  counts: readonly FacetCount[];
  /** Receives the selected range, such as `2025-05..2025-09`; null clears it. */
  onBrush: (span: string | null) => void;
}

/** A histogram of capture dates by month. Brushing over it selects a range. */
export function Months({ counts, onBrush }: MonthsProps) {
  const frame = useRef<HTMLDivElement>(null);
  const { width } = useElementSize(frame);
  const months = useMemo(() => fillMonths(counts), [counts]);
  return (
    <div className="flex min-w-0 flex-col">
      <h2 className="eyebrow">Date taken, by month; drag to select a range</h2>
      <div ref={frame} className="min-w-0 flex-1">
        {months.length === 0 ? (
          <p className="text-sm text-soft">No capture dates are known.</p>
        ) : (
          <Histogram months={months} width={width} onBrush={onBrush} />
        )}
        {months.length > 0 && <SpanFields months={months} onBrush={onBrush} />}
      </div>
    </div>
  );
}

interface SpanFieldsProps {
  months: readonly FacetCount[];
  onBrush: MonthsProps['onBrush'];
}

/** The same span by keyboard: its first and its last month. */
function SpanFields({ months, onBrush }: SpanFieldsProps) {
  const [first = '', last = ''] = [months.at(0)?.name, months.at(-1)?.name];
  const select = (from: string, to: string) => {
    const [begin, end] = from <= to ? [from, to] : [to, from];
    onBrush(begin === end ? begin : `${begin}..${end}`);
  };
  return (
    <div className="flex justify-between">
      <MonthSelect label="Taken from" value={first} months={months} onSelect={(from) => select(from, last)} />
      <MonthSelect label="Taken until" value={last} months={months} onSelect={(to) => select(first, to)} />
    </div>
  );
}

interface MonthSelectProps {
  label: string;
  value: string;
  months: readonly FacetCount[];
  onSelect: (month: string) => void;
}

function MonthSelect({ label, value, months, onSelect }: MonthSelectProps) {
  return (
    <select
      aria-label={label}
      className="figure bg-transparent text-soft"
      value={value}
      onChange={(event) => onSelect(event.target.value)}
    >
      {months.map(({ name }) => (
        <option key={name}>{name}</option>
      ))}
    </select>
  );
}

interface HistogramProps {
  months: readonly FacetCount[];
  width: number;
  onBrush: MonthsProps['onBrush'];
}

function Histogram({ months, width, onBrush }: HistogramProps) {
  const layer = useRef<SVGGElement>(null);
  const names = useMemo(() => months.map(({ name }) => name), [months]);
  const x = useMemo(() => scaleBand<string>(names, [0, width]).paddingInner(0.15), [names, width]);
  const y = scaleLinear([0, Math.max(1, ...months.map(({ items }) => items))], [0, HEIGHT]);
  useBrush(layer, x, onBrush);
  return (
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      aria-label={`Capture dates from ${names.at(0)} to ${names.at(-1)}`}
    >
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
  );
}

/** Adds a brush over the months of a scale. */
function useBrush(
  layer: RefObject<SVGGElement | null>,
  x: ScaleBand<string>,
  onBrush: MonthsProps['onBrush'],
) {
  useEffect(() => {
    const width = x.range()[1];
    if (!layer.current || width === 0) return;
    const brush = brushX<unknown>()
      .extent([
        [0, 0],
        [width, HEIGHT],
      ])
      // A selection set by the program has no source event.
      .on('end', ({ selection, sourceEvent }) => sourceEvent && onBrush(spanOf(x, selection)));
    const group = select(layer.current);
    group.call(brush as never);
    return () => {
      group.on('.brush', null).selectAll('*').remove();
    };
  }, [layer, x, onBrush]);
}

/** The months whose centre lies within the pixels of a selection. */
function spanOf(x: ScaleBand<string>, selection: [number, number] | null): string | null {
  if (!selection) return null;
  const chosen = x.domain().filter((name) => {
    const middle = (x(name) ?? 0) + x.bandwidth() / 2;
    return middle >= selection[0] && middle <= selection[1];
  });
  const [first, last] = [chosen.at(0), chosen.at(-1)];
  if (!first || !last) return null;
  return first === last ? first : `${first}..${last}`;
}

/** Months without pictures are shown as gaps. */
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
