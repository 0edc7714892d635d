import type { LinkAnswer } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine, option } from '../ui/command-line.js';
import { CopyButton } from '../ui/copy-button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatMoment } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { FieldRow } from '../ui/text-field.js';
import { type LinkRequest, useLinkChanges, useLinks } from './hooks.js';

/** Links to an asset's files that expire. */
export function LinksDialog({ asset, onClose }: { asset: Asset; onClose: () => void }) {
  const { data: links, error } = useLinks(asset.id);
  const mayWrite = useRight('library:write');
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Links to ${asset.name}`}
      description="Anybody who has a link can read the file until the link expires, also when it is private."
      className="w-[42rem]"
    >
      <div className="flex flex-col gap-4">
        {error && <ErrorNotice error={error} />}
        {links?.length === 0 && <p className="text-sm text-soft">There are no links that still work.</p>}
        {links && links.length > 0 && (
          <ul className="max-h-48 overflow-y-auto border-y border-rule">
            {links.map((link) => (
              <LinkRow key={link.id} asset={asset} link={link} mayWrite={mayWrite} />
            ))}
          </ul>
        )}
        {mayWrite && <NewLink asset={asset} />}
      </div>
    </Dialog>
  );
}

interface LinkRowProps {
  asset: Asset;
  link: LinkAnswer;
  mayWrite: boolean;
}

function LinkRow({ asset, link, mayWrite }: LinkRowProps) {
  const { id, rendition, expiresAt, downloads, maxDownloads, madeBy } = link;
  const { remove } = useLinkChanges(asset.id);
  return (
    <li className="flex items-center gap-4 border-b border-rule py-1 text-sm last:border-b-0">
      <span className="w-28 truncate font-medium">{rendition ?? 'original'}</span>
      <span className="min-w-0 flex-1 truncate text-soft">
        until {formatMoment(expiresAt)}, by {madeBy}
      </span>
      <span className="figure">
        {maxDownloads === null ? formatCount(downloads, 'download') : `${downloads} of ${maxDownloads}`}
      </span>
      {mayWrite && (
        <Button look="quiet" disabled={remove.isPending} onClick={() => remove.mutate(id)}>
          End link
        </Button>
      )}
    </li>
  );
}

const EXPIRIES = [
  { seconds: 3600, words: 'an hour' },
  { seconds: 86_400, words: 'a day' },
  { seconds: 7 * 86_400, words: 'a week' },
  { seconds: 30 * 86_400, words: '30 days' },
];

function NewLink({ asset }: { asset: Asset }) {
  const { add } = useLinkChanges(asset.id);
  const [expiresIn, setExpiresIn] = useState(86_400);
  const [most, setMost] = useState('');
  const [rendition, setRendition] = useState('');
  const request: LinkRequest = {
    expiresIn,
    maxDownloads: most === '' ? null : Number(most),
    rendition: rendition === '' ? null : rendition,
  };
  const isFit = most === '' || /^[1-9]\d{0,8}$/.test(most);
  const made = asset.renditions.filter(({ url }) => url !== null);
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(request);
      }}
    >
      <FieldRow>
        <Field label="File" className="min-w-40 flex-1">
          {(props) => (
            <Select {...props} value={rendition} onChange={(event) => setRendition(event.target.value)}>
              <option value="">original</option>
              {made.map(({ recipe, variant }) => {
                const name = variant === null ? recipe : `${recipe}.${variant}`;
                return (
                  <option key={name} value={name}>
                    {name}
                  </option>
                );
              })}
            </Select>
          )}
        </Field>
        <Field label="Works for" className="min-w-32 flex-1">
          {(props) => (
            <Select
              {...props}
              value={expiresIn}
              onChange={(event) => setExpiresIn(Number(event.target.value))}
            >
              {EXPIRIES.map(({ seconds, words }) => (
                <option key={seconds} value={seconds}>
                  {words}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Field
          label="Downloads at most"
          className="min-w-32 flex-1"
          error={isFit ? undefined : 'Enter a whole number.'}
        >
          {(props) => (
            <Input
              {...props}
              inputMode="numeric"
              placeholder="any number"
              value={most}
              onChange={(event) => setMost(event.target.value)}
            />
          )}
        </Field>
      </FieldRow>
      {add.data && (
        <p className="flex items-center gap-2 border-l-2 border-verdigris bg-verdigris/10 px-3 py-2 text-sm">
          <span className="min-w-0 flex-1">
            <span className="block">Copy the address now: it is shown only once.</span>
            <span className="block truncate font-mono text-xs leading-5">{add.data.url}</span>
          </span>
          <CopyButton text={add.data.url} name="Copy the link" />
        </p>
      )}
      <FormFoot error={add.error} code={codeOf(asset, request)}>
        <Button look="main" type="submit" disabled={!isFit || add.isPending}>
          Create link
        </Button>
      </FormFoot>
    </form>
  );
}

function codeOf({ id }: Asset, request: LinkRequest) {
  const { expiresIn, maxDownloads, rendition } = request;
  return {
    ...{ method: 'POST' as const, path: `/assets/${id}/links`, body: request },
    client: `const { url } = await uniferum.copies.link('${id}', ${JSON.stringify(request)});`,
    command: commandLine(
      ...['link', id, '--expires', String(expiresIn)],
      ...option('--downloads', maxDownloads === null ? undefined : String(maxDownloads)),
      ...option('--rendition', rendition ?? undefined),
    ),
  };
}
