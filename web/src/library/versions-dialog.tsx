import type { Version } from '@uniferum/client';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { type ReactNode, useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { CompareSlider } from '../ui/compare-slider.js';
import { Dialog } from '../ui/dialog.js';
import { Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatMoment } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { useLibraryChanges, useVersions } from './hooks.js';

interface VersionsDialogProps {
  asset: Asset;
  onClose: () => void;
}

/** Compares two versions of an asset, side by side or overlaid, and restores the earlier one. */
export function VersionsDialog({ asset, onClose }: VersionsDialogProps) {
  const { data: versions = [], error, isPending } = useVersions(asset.id);
  const [left, setLeft] = useState<number | null>(null);
  const current = versions[0];
  const earlier = versions.find(({ n }) => n === left) ?? versions[1];
  if (!current || !earlier)
    return (
      <Dialog
        isOpen
        onOpenChange={onClose}
        title={`Versions of ${asset.name}`}
        description={
          isPending || error
            ? 'Each replacement of the file is kept as a version.'
            : 'There is one version so far. Replacing the file creates another at the same address.'
        }
      >
        {error && <ErrorNotice error={error} />}
        <p className="text-soft">{current && describe(current)}</p>
      </Dialog>
    );
  const choice = <EarlierChoice versions={versions} earlier={earlier} onChoose={setLeft} />;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Versions of ${asset.name}`}
      description="The address shows the current version. Restoring an earlier one creates a new version; nothing is lost."
      className="w-[70rem]"
    >
      <div className="flex flex-col gap-3">
        {asset.kind === 'image' ? (
          <Pair earlier={earlier} current={current} choice={choice} />
        ) : (
          <div className="flex items-center gap-4">{choice}</div>
        )}
        <RestoreFoot asset={asset} n={earlier.n} onDone={onClose} />
      </div>
    </Dialog>
  );
}

interface EarlierChoiceProps {
  versions: readonly Version[];
  earlier: Version;
  onChoose: (n: number) => void;
}

function EarlierChoice({ versions, earlier, onChoose }: EarlierChoiceProps) {
  const [current, ...others] = versions;
  return (
    <>
      <Select
        aria-label="The earlier version"
        className="w-80"
        value={earlier.n}
        onChange={(event) => onChoose(Number(event.target.value))}
      >
        {others.map((version) => (
          <option key={version.n} value={version.n}>
            {describe(version)}
          </option>
        ))}
      </Select>
      <span className="text-soft">compared with the current one: {current && describe(current)}</span>
    </>
  );
}

interface PairProps {
  earlier: Version;
  current: Version;
  /** Selects the earlier one. */
  choice: ReactNode;
}

/** Both pictures, side by side or overlaid. */
function Pair({ earlier, current, choice }: PairProps) {
  const [isOver, setOver] = useState(false);
  return (
    <>
      <div className="flex items-center gap-4">
        {choice}
        <Button look="quiet" className="ml-auto" aria-pressed={isOver} onClick={() => setOver(!isOver)}>
          {isOver ? 'Side by side' : 'Overlay'}
        </Button>
      </div>
      {isOver ? (
        <CompareSlider
          className="h-[26rem]"
          left={{ src: earlier.url, alt: `Version ${earlier.n}` }}
          right={{ src: current.url, alt: `Version ${current.n}` }}
          label="How much of the earlier version is shown"
        />
      ) : (
        <div className="grid grid-cols-2 gap-4">
          {[earlier, current].map((version) => (
            <figure key={version.n} className="min-w-0">
              <img
                src={version.url}
                alt={`Version ${version.n}`}
                className="h-80 w-full bg-rule object-contain"
              />
              <figcaption className="figure pt-1 text-soft">{describe(version)}</figcaption>
            </figure>
          ))}
        </div>
      )}
    </>
  );
}

interface RestoreFootProps {
  asset: Asset;
  n: number;
  onDone: () => void;
}

function RestoreFoot({ asset, n, onDone }: RestoreFootProps) {
  const { restoreVersion } = useLibraryChanges();
  const mayWrite = useRight('library:write');
  if (!mayWrite) return null;
  return (
    <FormFoot
      error={restoreVersion.error}
      code={{
        method: 'POST',
        path: `/assets/${asset.id}/versions/${n}/restore`,
        client: `await uniferum.assets.restoreVersion('${asset.id}', ${n});`,
        command: commandLine('set', asset.id, '--restore-version', String(n)),
      }}
    >
      <Button
        look="main"
        disabled={restoreVersion.isPending}
        onClick={() => restoreVersion.mutate({ id: asset.id, n }, { onSuccess: onDone })}
      >
        Restore version {n}
      </Button>
    </FormFoot>
  );
}

function describe({ n, width, height, bytes, createdAt, by, restoredFrom, optimisedFrom }: Version): string {
  const parts = [
    `Version ${n}`,
    width && `${width} × ${height}`,
    formatBytes(bytes),
    formatMoment(createdAt),
    `by ${by}`,
  ];
  if (optimisedFrom) parts.push(`optimised from version ${optimisedFrom}`);
  if (restoredFrom) parts.push(`from version ${restoredFrom}`);
  return parts.filter(Boolean).join(', ');
}
