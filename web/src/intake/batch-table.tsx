import { formatBytes, formatCount, summarizeVerdicts } from '@uniferum/core/intake';
import { useState } from 'react';
import { Link } from 'react-router';
import { libraryAddress } from '../library/address.js';
import { FolderPicker } from '../library/folder-picker.js';
import { Button } from '../ui/button.js';
import { formatNumber } from '../ui/format.js';
import { ProgressBar } from '../ui/progress-bar.js';
import { StateMark } from '../ui/state-mark.js';
import { type Upload, useUploads } from './uploads.js';

const SHOWN = ['all', 'accepted', 'warned', 'refused', 'broken'] as const;
type Shown = (typeof SHOWN)[number];

/** The files uploaded in this session, each with its progress and then its verdict. */
export function BatchTable({ uploads }: { uploads: readonly Upload[] }) {
  const [chosen, setShown] = useState<Shown>('all');
  const counts = countByShown(uploads);
  const shown = counts[chosen] > 0 ? chosen : 'all';
  const listed = uploads.filter((upload) => shown === 'all' || shownAs(upload) === shown);
  return (
    <section aria-label="This batch" className="mb-6">
      <BatchProgress uploads={uploads} broken={counts.broken} />
      <BatchSummary uploads={uploads} counts={counts} shown={shown} onShow={setShown} />
      <ul className="max-h-96 overflow-y-auto border-t border-rule">
        {listed.slice(0, MAX_LISTED).map((upload) => (
          <UploadRow key={upload.key} upload={upload} />
        ))}
      </ul>
      {listed.length > MAX_LISTED && (
        <p className="py-1.5 text-sm text-soft">
          {formatCount(listed.length - MAX_LISTED, 'more file')} not listed. The report of the intake has them
          all.
        </p>
      )}
    </section>
  );
}

/** Rendering tens of thousands of rows would freeze the page. */
const MAX_LISTED = 500;

function shownAs({ state, verdict }: Upload): Shown | null {
  if (state === 'broken' || state === 'refused') return state;
  return state === 'arrived' && verdict ? verdict.outcome : null;
}

function countByShown(uploads: readonly Upload[]): Record<Shown, number> {
  const counts = { all: uploads.length, accepted: 0, warned: 0, refused: 0, broken: 0 };
  for (const upload of uploads) {
    const shown = shownAs(upload);
    if (shown) counts[shown] += 1;
  }
  return counts;
}

function BatchProgress({ uploads, broken }: { uploads: readonly Upload[]; broken: number }) {
  const { sentBytes, totalBytes, isSending } = useUploads((state) => state.progress);
  const { clear, retry, stop } = useUploads.getState();
  const checked = uploads.filter(({ state }) => state === 'arrived' || state === 'refused').length;
  return (
    <div className="flex h-10 items-center gap-4">
      <h2 className="font-semibold">
        {formatNumber(checked)} of {formatNumber(uploads.length)} checked
      </h2>
      {totalBytes > 0 && (
        <>
          <ProgressBar
            className="w-56"
            value={sentBytes}
            max={totalBytes}
            label="Progress of the whole batch"
          />
          <span className="figure text-soft">
            {formatBytes(sentBytes)} of {formatBytes(totalBytes)}
          </span>
        </>
      )}
      <span className="ml-auto" />
      {broken > 0 && !isSending && (
        <Button look="main" onClick={retry}>
          Send {formatCount(broken, 'interrupted file')} again
        </Button>
      )}
      {isSending ? (
        <Button onClick={stop}>Stop sending</Button>
      ) : (
        <Button look="quiet" onClick={clear}>
          Clear the list
        </Button>
      )}
    </div>
  );
}

const SHOWN_WORDS: Record<Shown, string> = {
  all: 'All',
  accepted: 'accepted',
  warned: 'with warnings',
  refused: 'refused',
  broken: 'interrupted',
};

interface BatchSummaryProps {
  uploads: readonly Upload[];
  counts: Record<Shown, number>;
  shown: Shown;
  onShow: (shown: Shown) => void;
}

/** A summary of the batch: counts that filter the list, and why files were refused. */
function BatchSummary({ uploads, counts, shown, onShow }: BatchSummaryProps) {
  const { refusals } = summarizeVerdicts(
    uploads.flatMap(({ state, verdict }) => (state === 'refused' && verdict ? [verdict] : [])),
  );
  const isSending = useUploads((state) => state.progress.isSending);
  return (
    <div className="flex min-h-9 flex-wrap items-center gap-x-2 gap-y-1 pb-1.5 text-sm">
      <fieldset aria-label="Show" className="flex gap-1">
        {SHOWN.filter((one) => counts[one] > 0).map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={shown === one}
            onClick={() => onShow(one)}
            className="rounded-[3px] border border-transparent px-2 py-0.5 aria-pressed:border-rule-strong aria-pressed:bg-raised aria-pressed:font-medium"
          >
            {one === 'all' ? 'All' : `${formatNumber(counts[one])} ${SHOWN_WORDS[one]}`}
          </button>
        ))}
      </fieldset>
      {refusals.length > 0 && (
        <span className="text-soft">
          Refused: {refusals.map(({ words, files }) => `${formatNumber(files)} ${words}`).join(', ')}
        </span>
      )}
      {counts.refused > 0 && !isSending && <SendElsewhere count={counts.refused} />}
    </div>
  );
}

/** Another folder may accept what this one refuses. */
function SendElsewhere({ count }: { count: number }) {
  const { sendElsewhere } = useUploads.getState();
  return (
    <span className="ml-auto w-64">
      <FolderPicker
        value=""
        placeholder={`Send ${formatCount(count, 'refused file')} to …`}
        aria-label="Send the refused files to another folder"
        onChange={(path) => path !== '' && sendElsewhere(path)}
      />
    </span>
  );
}

function UploadRow({ upload }: { upload: Upload }) {
  const { file, verdict, error, assetId, run, folder } = upload;
  return (
    <li className="grid grid-cols-[minmax(0,16rem)_5rem_8rem_minmax(0,1fr)_auto] items-baseline gap-4 border-b border-rule py-1.5 text-sm">
      <span className="truncate font-medium" title={file.name}>
        {file.name}
      </span>
      <span className="figure text-right text-soft">{formatBytes(file.size)}</span>
      <UploadStateView upload={upload} />
      <span className="text-soft">{error ?? verdict?.reasons.map(({ message }) => message).join(' ')}</span>
      {run ? (
        <Link to={`/runs?run=${run}`} className="text-oxide hover:underline">
          Being unpacked
        </Link>
      ) : assetId ? (
        <Link to={`${libraryAddress(folder)}?asset=${assetId}`} className="text-oxide hover:underline">
          Open in the library
        </Link>
      ) : (
        <span />
      )}
    </li>
  );
}

function UploadStateView({ upload: { state, sentBytes, file, verdict } }: { upload: Upload }) {
  switch (state) {
    case 'checking':
    case 'waiting':
      return <StateMark state="waiting" />;
    case 'sending':
      return (
        <ProgressBar
          className="self-center"
          value={sentBytes}
          max={file.size}
          label={`Progress of ${file.name}`}
        />
      );
    case 'broken':
      return <StateMark state="failed" />;
    case 'arrived':
    case 'refused':
      return verdict && <StateMark state={verdict.outcome} />;
  }
}
