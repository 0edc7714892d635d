import type { UploadResult } from '@uniferum/client';
import type { Asset } from '@uniferum/core/library';
import { useContext, useState } from 'react';
import { uniferum } from '../client.js';
import { FolderPicker } from '../library/folder-picker.js';
import { LibraryRoot } from '../library/hooks.js';
import { Button } from '../ui/button.js';
import { Field, Input } from '../ui/field.js';
import { FailureLine } from '../ui/notice.js';
import { useAction } from '../ui/use-action.js';

interface TakeProps {
  /** What the button says, when it isn't placed at once. */
  verb?: string;
  onTaken: (asset: Asset) => void;
}

interface UploadProps extends Pick<TakeProps, 'verb'> {
  /** What was dropped. */
  dropped?: readonly File[];
  /** Several files can be chosen. */
  isSeveral?: boolean;
  /** @param isAll whether all that were sent are in the library */
  onUploaded: (assets: readonly Asset[], isAll: boolean) => void;
}

/** Uploads files of this computer into the library. */
export function UploadForm({
  verb = 'Upload and place',
  dropped = [],
  isSeveral = false,
  onUploaded,
}: UploadProps) {
  const [folder, setFolder] = useState(useContext(LibraryRoot));
  const [files, setFiles] = useState(dropped);
  const [alt, setAlt] = useState('');
  const send = useAction((chosen: readonly File[], call) =>
    uniferum.assets.upload({
      folder,
      files: chosen.map((file) => ({ name: file.name, data: file })),
      ...(alt !== '' && chosen.length === 1 && { alt }),
      ...call,
    }),
  );
  const refused = send.data?.filter(({ asset }) => asset === null) ?? [];
  const finish = (results: readonly UploadResult[]) => {
    const assets = results.flatMap(({ asset }) => asset ?? []);
    // What was refused can be sent to another folder.
    setFiles((sent) => sent.filter((_, n) => results[n]?.asset === null));
    onUploaded(assets, assets.length === results.length);
  };
  return (
    <form
      className="flex flex-col gap-4 p-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (files.length > 0) send.mutate(files, { onSuccess: finish });
      }}
    >
      {dropped.length > 0 ? (
        <p className="text-sm">{files.map(({ name }) => name).join(', ')}</p>
      ) : (
        <Field label={isSeveral ? 'Files' : 'File'}>
          {(props) => (
            <Input
              {...props}
              type="file"
              multiple={isSeveral}
              onChange={(event) => setFiles([...(event.target.files ?? [])])}
            />
          )}
        </Field>
      )}
      <Field label="Folder" hint="Its rules apply.">
        {(props) => <FolderPicker {...props} value={folder} onChange={setFolder} />}
      </Field>
      {files.length < 2 && (
        <Field label="Alternative text" hint="Describes the picture for people who can't see it.">
          {(props) => <Input {...props} value={alt} onChange={(event) => setAlt(event.target.value)} />}
        </Field>
      )}
      {refused.map(({ name, verdict }) => (
        <p key={name} role="alert" className="text-sm text-fault">
          {verdict.reasons[0]?.message ?? `${name} was not imported. Upload it again.`}
        </p>
      ))}
      <FailureLine error={send.error} />
      <Button look="main" type="submit" className="self-end" disabled={files.length === 0 || send.isPending}>
        {send.isPending ? 'Uploading …' : verb}
      </Button>
    </form>
  );
}

/** Copies a file into the library from its address, or refers to a film or post elsewhere. */
export function AddressForm({ verb = 'Place', onTaken }: TakeProps) {
  const [address, setAddress] = useState('');
  const [folder, setFolder] = useState(useContext(LibraryRoot));
  const take = useAction((source: string, call) => uniferum.assets.fetch({ source, folder }, call));
  return (
    <form
      className="flex flex-col gap-4 p-4"
      onSubmit={(event) => {
        event.preventDefault();
        take.mutate(address, { onSuccess: onTaken });
      }}
    >
      <Field
        label="Address"
        hint="Of a file, which is copied into the library, or of a film or post, which stays where it is and is loaded only when somebody opens it."
      >
        {(props) => (
          <Input
            {...props}
            type="url"
            required
            placeholder="https://"
            value={address}
            onChange={(event) => setAddress(event.target.value)}
          />
        )}
      </Field>
      <Field label="Folder">
        {(props) => <FolderPicker {...props} value={folder} onChange={setFolder} />}
      </Field>
      <FailureLine error={take.error} />
      <Button look="main" type="submit" className="self-end" disabled={address === '' || take.isPending}>
        {take.isPending ? 'Reading …' : verb}
      </Button>
    </form>
  );
}
