import { formatBytes, formatCount } from '@uniferum/core';
import { Link } from 'react-router';
import { libraryAddress } from '../library/address.js';
import { Button } from '../ui/button.js';
import { formatNumber } from '../ui/format.js';
import { ProgressBar } from '../ui/progress-bar.js';
import { StateMark } from '../ui/state-mark.js';
import { type Upload, useUploads } from './uploads.js';

/** The files of this sitting, each with its progress and then its verdict. */
export function BatchTable({ uploads }: { uploads: readonly Upload[] }) {
  const { sentBytes, totalBytes, isSending } = useUploads((state) => state.progress);
  const { clear, retry, stop } = useUploads.getState();
  const count = (...states: Upload['state'][]) =>
    uploads.filter(({ state }) => states.includes(state)).length;
  const broken = count('broken');
  return (
    <section aria-label="This batch" className="mb-6">
      <div className="flex h-10 items-center gap-4">
        <h2 className="font-semibold">
          {formatNumber(count('arrived', 'refused'))} of {formatCount(uploads.length, 'file')} judged
        </h2>
        <ProgressBar
          className="w-56"
          value={sentBytes}
          max={totalBytes}
          label="Progress of the whole batch"
        />
        <span className="figure text-soft">
          {formatBytes(sentBytes)} of {formatBytes(totalBytes)}
        </span>
        <span className="ml-auto" />
        {broken > 0 && !isSending && (
          <Button look="main" onClick={retry}>
            Send the {formatCount(broken, 'file')} again that broke off
          </Button>
        )}
        {isSending && <Button onClick={stop}>Stop sending</Button>}
        {!isSending && (
          <Button look="quiet" onClick={clear}>
            Clear the list
          </Button>
        )}
      </div>
      <ul className="max-h-96 overflow-y-auto border-t border-rule">
        {uploads.map((upload) => (
          <UploadRow key={upload.key} upload={upload} />
        ))}
      </ul>
    </section>
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
