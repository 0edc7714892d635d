import type { Version } from '@uniferum/client';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
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

/** Two versions of an asset, side by side or one over the other, and the way back. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one dialog with two views of the same pair
export function VersionsDialog({ asset, onClose }: { asset: Asset; onClose: () => void }) {
  const { data: versions = [], error, isPending } = useVersions(asset.id);
  const [left, setLeft] = useState<number | null>(null);
  const [isOver, setOver] = useState(false);
  const { restoreVersion } = useLibraryChanges();
  const mayWrite = useRight('library:write');
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
            : 'There is one version so far. Replacing the file makes another at the same address.'
        }
      >
        {error && <ErrorNotice error={error} />}
        <p className="text-soft">{current && describe(current)}</p>
      </Dialog>
    );
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Versions of ${asset.name}`}
      description="The address shows the current one. An earlier one that is restored becomes a new version; nothing is lost."
      className="w-[70rem]"
    >
      <div className="flex flex-col gap-3">
        <div className="flex items-center gap-4">
          <Select
            aria-label="The earlier version"
            className="w-80"
            value={earlier.n}
            onChange={(event) => setLeft(Number(event.target.value))}
          >
            {versions.slice(1).map((version) => (
              <option key={version.n} value={version.n}>
                {describe(version)}
              </option>
            ))}
          </Select>
          <span className="text-soft">beside the current one: {describe(current)}</span>
          {asset.kind === 'image' && (
            <Button look="quiet" className="ml-auto" aria-pressed={isOver} onClick={() => setOver(!isOver)}>
              {isOver ? 'Side by side' : 'One over the other'}
            </Button>
          )}
        </div>
        {asset.kind === 'image' && isOver && (
          <CompareSlider
            className="h-[26rem]"
            left={{ src: earlier.url, alt: `Version ${earlier.n}` }}
            right={{ src: current.url, alt: `Version ${current.n}` }}
            label="How much of the earlier version is shown"
          />
        )}
        {asset.kind === 'image' && !isOver && (
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
        {mayWrite && (
          <FormFoot
            error={restoreVersion.error}
            code={{
              method: 'POST',
              path: `/assets/${asset.id}/versions/${earlier.n}/restore`,
              client: `await uniferum.assets.restoreVersion('${asset.id}', ${earlier.n});`,
              command: commandLine('set', asset.id, '--version', String(earlier.n)),
            }}
          >
            <Button
              look="main"
              disabled={restoreVersion.isPending}
              onClick={() => restoreVersion.mutate({ id: asset.id, n: earlier.n }, { onSuccess: onClose })}
            >
              Restore version {earlier.n}
            </Button>
          </FormFoot>
        )}
      </div>
    </Dialog>
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
  if (optimisedFrom) parts.push(`a smaller file of version ${optimisedFrom}`);
  if (restoredFrom) parts.push(`from version ${restoredFrom}`);
  return parts.filter(Boolean).join(', ');
}
