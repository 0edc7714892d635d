import type { ThroughputMinute } from '@uniferum/core/runs';
import { scaleLinear, scaleTime } from 'd3-scale';
import { format } from 'date-fns';
import { useRef } from 'react';
import { formatNumber } from '../ui/format.js';
import { useElementSize } from '../ui/use-element-size.js';

const HEIGHT = 132;
const MARGIN = { top: 8, right: 8, bottom: 20, left: 40 };
const MINUTE_MS = 60_000;

interface ThroughputChartProps {
  minutes: number;
  throughput: readonly ThroughputMinute[];
}

/** The items done in each minute as columns; failed ones are stacked on top, hatched. */
export function ThroughputChart({ minutes, throughput }: ThroughputChartProps) {
  const frame = useRef<HTMLDivElement>(null);
  const { width } = useElementSize(frame);
  const scales = scalesOf(minutes, throughput, width);
  const total = throughput.reduce((sum, { done }) => sum + done, 0);
  const failed = throughput.reduce((sum, one) => sum + one.failed, 0);
  return (
    <div ref={frame}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`${formatNumber(total)} items done and ${formatNumber(failed)} failed in the last ${minutes} minutes`}
      >
        <FailedHatch />
        <CountAxis scales={scales} width={width} />
        {throughput.map((minute) => (
          <MinuteColumn key={minute.at} minute={minute} scales={scales} />
        ))}
        <TimeAxis scales={scales} />
      </svg>
    </div>
  );
}

type Scales = ReturnType<typeof scalesOf>;

/** Scales from time and counts to pixels; `column` is the width of a minute. */
function scalesOf(minutes: number, throughput: readonly ThroughputMinute[], width: number) {
  const now = Math.floor(Date.now() / MINUTE_MS) * MINUTE_MS;
  const begin = now - (minutes - 1) * MINUTE_MS;
  const most = Math.max(5, ...throughput.map(({ done, failed }) => done + failed));
  const x = scaleTime(
    [new Date(begin), new Date(now + MINUTE_MS)],
    [MARGIN.left, Math.max(MARGIN.left + 1, width - MARGIN.right)],
  );
  const y = scaleLinear([0, most], [HEIGHT - MARGIN.bottom, MARGIN.top]).nice(4);
  const column = Math.max(1, (x(new Date(begin + MINUTE_MS)) ?? 0) - (x(new Date(begin)) ?? 0) - 2);
  return { x, y, column };
}

function FailedHatch() {
  return (
    <defs>
      <pattern
        id="failed-hatch"
        width="4"
        height="4"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <rect width="2" height="4" className="fill-fault" />
      </pattern>
    </defs>
  );
}

function CountAxis({ scales: { y }, width }: { scales: Scales; width: number }) {
  return y.ticks(4).map((tick) => (
    <g key={tick} transform={`translate(0 ${y(tick)})`}>
      <line x1={MARGIN.left} x2={width - MARGIN.right} className="stroke-rule" />
      <text x={MARGIN.left - 8} dy="0.32em" textAnchor="end" className="figure fill-soft">
        {formatNumber(tick)}
      </text>
    </g>
  ));
}

function TimeAxis({ scales: { x } }: { scales: Scales }) {
  return x.ticks(6).map((tick) => (
    <text key={tick.getTime()} x={x(tick)} y={HEIGHT - 5} textAnchor="middle" className="figure fill-soft">
      {format(tick, 'HH:mm')}
    </text>
  ));
}

interface MinuteColumnProps {
  minute: ThroughputMinute;
  scales: Scales;
}

function MinuteColumn({ minute: { at, done, failed }, scales: { x, y, column } }: MinuteColumnProps) {
  const left = x(new Date(at)) ?? 0;
  if (left < MARGIN.left) return null;
  return (
    <g>
      <title>{`${format(new Date(at), 'HH:mm')}: ${done} done, ${failed} failed`}</title>
      <rect x={left + 1} width={column} y={y(done)} height={y(0) - y(done)} className="fill-verdigris" />
      {failed > 0 && (
        <rect
          x={left + 1}
          width={column}
          y={y(done + failed)}
          height={y(done) - y(done + failed)}
          fill="url(#failed-hatch)"
        />
      )}
    </g>
  );
}
