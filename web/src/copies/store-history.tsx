import { HISTORY_DAYS, type HistoryDays, type StoreAnswer } from '@uniferum/core/copies';
import { formatBytes } from '@uniferum/core/intake';
import { scaleLinear, scaleTime } from 'd3-scale';
import { curveStepAfter, line } from 'd3-shape';
import { format } from 'date-fns';
import { type ReactNode, useRef, useState } from 'react';
import { Select } from '../ui/field.js';
import { ErrorNotice } from '../ui/notice.js';
import { useElementSize } from '../ui/use-element-size.js';
import {
  beginOf,
  formatRate,
  linesOf,
  type NamedHistory,
  ratesOf,
  type SentPeriod,
  type StoredLine,
  spreadLabels,
} from './history-shape.js';
import { useStoreHistories } from './hooks.js';

const RANGES: Record<HistoryDays, string> = { 1: 'Last day', 14: 'Last 14 days', 365: 'Last year' };

/** What stores held over time, and how fast files were sent to them. */
export function StoreHistory({ stores }: { stores: readonly StoreAnswer[] }) {
  const [days, setDays] = useState<HistoryDays>(1);
  const { histories, error } = useStoreHistories(stores, days);
  return (
    <section aria-label="History" className="px-6 py-4">
      <div className="mb-3 flex flex-wrap items-center justify-between gap-4">
        <h2 className="font-semibold">History</h2>
        <div className="w-40">
          <Select
            aria-label="Period"
            value={String(days)}
            onChange={(event) => setDays(Number(event.target.value) as HistoryDays)}
          >
            {HISTORY_DAYS.map((one) => (
              <option key={one} value={one}>
                {RANGES[one]}
              </option>
            ))}
          </Select>
        </div>
      </div>
      {error && <ErrorNotice error={error} />}
      <div className="grid grid-cols-1 gap-x-10 gap-y-6 lg:grid-cols-2">
        <Chart title="Stored">
          {(width) => (
            <StoredChart lines={linesOf(histories)} span={spanOf(histories)} days={days} width={width} />
          )}
        </Chart>
        <Chart title="Transfer rate">
          {(width) => (
            <RateChart rates={ratesOf(histories)} span={spanOf(histories)} days={days} width={width} />
          )}
        </Chart>
      </div>
    </section>
  );
}

const HEIGHT = 160;
const MARGIN = { top: 10, right: 88, bottom: 22, left: 76 };
/** Below this, ticks would be parts of bytes. */
const LEAST_BYTES = 1000;
const LABEL_APART = 14;

function Chart({ title, children }: { title: string; children: (width: number) => ReactNode }) {
  const frame = useRef<HTMLDivElement>(null);
  const { width } = useElementSize(frame);
  return (
    <figure className="min-w-0">
      <figcaption className="mb-1 text-sm text-soft">{title}</figcaption>
      <div ref={frame} style={{ minHeight: HEIGHT }}>
        {width > 0 && children(width)}
      </div>
    </figure>
  );
}

interface Span {
  from: Date;
  to: Date;
  stepMs: number;
}

/** The time from which anything is known; all histories cover the same. */
function spanOf(histories: readonly NamedHistory[]): Span | null {
  const [first] = histories;
  const items = first?.history.items ?? [];
  const end = items.at(-1)?.at;
  if (!first || end === undefined) return null;
  const stepMs = first.history.stepSeconds * 1000;
  const begin = items[beginOf(histories)]?.at ?? end;
  return { from: new Date(begin), to: new Date(Date.parse(end) + stepMs), stepMs };
}

function scalesOf({ from, to }: Span, most: number, width: number) {
  return {
    x: scaleTime([from, to], [MARGIN.left, Math.max(MARGIN.left + 1, width - MARGIN.right)]),
    y: scaleLinear([0, Math.max(LEAST_BYTES, most)], [HEIGHT - MARGIN.bottom, MARGIN.top]).nice(4),
  };
}

const LINES = ['stroke-ink', 'stroke-verdigris', 'stroke-ochre', 'stroke-oxide'];
const LABELS = ['fill-ink', 'fill-verdigris', 'fill-ochre', 'fill-oxide'];

interface ChartProps {
  span: Span | null;
  days: HistoryDays;
  width: number;
}

function StoredChart({ lines, span, days, width }: ChartProps & { lines: readonly StoredLine[] }) {
  if (span === null || lines.length === 0) return <Nothing>Nothing is recorded yet.</Nothing>;
  const most = Math.max(...lines.flatMap(({ points }) => points.map(({ bytes }) => bytes)));
  const { x, y } = scalesOf(span, most, width);
  const draw = line<{ at: Date; bytes: number }>(
    ({ at }) => x(at),
    ({ bytes }) => y(bytes),
  ).curve(curveStepAfter);
  const heights = spreadLabels(
    lines.map(({ points }) => y(points.at(-1)?.bytes ?? 0)),
    LABEL_APART,
  );
  const described = lines.map(({ name, points }) => `${name} ${formatBytes(points.at(-1)?.bytes ?? 0)}`);
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={`Stored now: ${described.join(', ')}`}>
      <Axes x={x} y={y} days={days} width={width} format={formatBytes} />
      {lines.map(({ name, points }, n) => {
        const last = points.at(-1) as StoredLine['points'][number];
        const drawn = [...points, { at: span.to, bytes: last.bytes }];
        return (
          <g key={name}>
            <title>{`${name}: ${formatBytes(last.bytes)}`}</title>
            <path d={draw(drawn) ?? ''} className={`fill-none stroke-2 ${LINES[n % LINES.length]}`} />
            <text
              x={x(span.to) + 6}
              y={heights[n]}
              dy="0.32em"
              className={`text-xs ${LABELS[n % LABELS.length]}`}
            >
              {name.length > 12 ? `${name.slice(0, 11)}…` : name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

function RateChart({ rates, span, days, width }: ChartProps & { rates: readonly SentPeriod[] }) {
  if (span === null || rates.length === 0) return <Nothing>No files were sent in this period.</Nothing>;
  const most = Math.max(...rates.map(({ bytesPerSecond }) => bytesPerSecond));
  const { x, y } = scalesOf(span, most, width);
  const column = Math.max(1, x(new Date(span.from.getTime() + span.stepMs)) - x(span.from) - 1);
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={`At most ${formatRate(most)}`}>
      <Axes x={x} y={y} days={days} width={width} format={formatRate} />
      {rates.map(({ at, bytesPerSecond, stores }) => (
        <g key={at.getTime()}>
          <title>
            {`${format(at, FORMATS[days].long)}: ${formatRate(bytesPerSecond)} (${stores.map(({ name, bytes }) => `${formatBytes(bytes)} to ${name}`).join(', ')})`}
          </title>
          <rect
            x={x(at)}
            width={column}
            y={y(bytesPerSecond)}
            height={Math.max(1, y(0) - y(bytesPerSecond))}
            className="fill-verdigris"
          />
        </g>
      ))}
    </svg>
  );
}

function Nothing({ children }: { children: ReactNode }) {
  return (
    <p className="pt-2 text-sm text-soft" style={{ height: HEIGHT }}>
      {children}
    </p>
  );
}

const FORMATS: Record<HistoryDays, { short: string; long: string }> = {
  1: { short: 'HH:mm', long: 'd MMM HH:mm' },
  14: { short: 'd MMM', long: 'd MMM HH:mm' },
  365: { short: 'MMM yyyy', long: 'd MMM yyyy' },
};

interface AxesProps {
  x: ReturnType<typeof scalesOf>['x'];
  y: ReturnType<typeof scalesOf>['y'];
  days: HistoryDays;
  width: number;
  format: (value: number) => string;
}

function Axes({ x, y, days, width, format: formatValue }: AxesProps) {
  return (
    <>
      {y.ticks(3).map((tick) => (
        <g key={tick} transform={`translate(0 ${y(tick)})`}>
          <line x1={MARGIN.left} x2={width - MARGIN.right} className="stroke-rule" />
          <text x={MARGIN.left - 8} dy="0.32em" textAnchor="end" className="figure fill-soft text-xs">
            {tick === 0 ? '0' : formatValue(tick)}
          </text>
        </g>
      ))}
      {x.ticks(4).map((tick) => (
        <text
          key={tick.getTime()}
          x={x(tick)}
          y={HEIGHT - 6}
          textAnchor="middle"
          className="figure fill-soft text-xs"
        >
          {format(tick, FORMATS[days].short)}
        </text>
      ))}
    </>
  );
}
