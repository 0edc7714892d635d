import { createColumnHelper } from '@tanstack/react-table';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { formatCaptured } from '../ui/format.js';
import { StateMark } from '../ui/state-mark.js';
import { AssetThumb } from './asset-thumb.js';
import { ChooseBox } from './choose-box.js';
import { RenditionSummary } from './rendition-summary.js';

const column = createColumnHelper<Asset>();

/** The columns of the list: identity, properties, and states. */
export function makeColumns(onChoose: (id: string) => void, order: readonly string[]) {
  return [...nameColumns(onChoose, order), ...FILE_COLUMNS, ...STATE_COLUMNS];
}

function nameColumns(onChoose: (id: string) => void, order: readonly string[]) {
  return [
    column.display({
      id: 'choose',
      header: () => <span className="sr-only">Selected</span>,
      cell: ({ row: { original } }) => (
        <ChooseBox id={original.id} name={original.name} order={order} className="block" />
      ),
    }),
    column.display({
      id: 'picture',
      header: () => <span className="sr-only">Picture</span>,
      cell: ({ row }) => <AssetThumb asset={row.original} heightPx={32} className="h-8 w-12" />,
    }),
    column.accessor('name', {
      header: 'Name',
      cell: ({ row, getValue }) => (
        <button
          type="button"
          dir="auto"
          className="block max-w-full truncate font-medium hover:underline"
          onClick={() => onChoose(row.original.id)}
        >
          {getValue()}
        </button>
      ),
    }),
  ];
}

const FILE_COLUMNS = [
  column.accessor('title', {
    header: 'Title',
    cell: ({ getValue }) => (
      <span dir="auto" className="block truncate text-soft">
        {getValue()}
      </span>
    ),
  }),
  column.accessor('kind', { header: 'Kind' }),
  column.display({
    id: 'pixels',
    header: 'Pixels',
    meta: 'figure',
    cell: ({ row: { original } }) => original.width && `${original.width} × ${original.height}`,
  }),
  column.accessor('bytes', {
    header: 'Size',
    meta: 'figure',
    cell: ({ getValue }) => formatBytes(getValue()),
  }),
  column.accessor('capturedLocal', {
    header: 'Taken',
    cell: ({ getValue }) => {
      const local = getValue();
      return <span className="whitespace-nowrap text-soft">{local && formatCaptured(local)}</span>;
    },
  }),
];

const STATE_COLUMNS = [
  column.display({
    id: 'renditions',
    header: 'Renditions',
    cell: ({ row }) => <RenditionSummary renditions={row.original.renditions} />,
  }),
  column.display({
    id: 'verdict',
    header: 'Verdict',
    cell: ({ row }) => <StateMark state={row.original.verdict.outcome} />,
  }),
];
