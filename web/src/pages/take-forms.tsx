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

/** Uploads a file of this computer into the library. */
export function UploadForm({ verb = 'Upload and place', onTaken }: TakeProps) {
  const [folder, setFolder] = useState(useContext(LibraryRoot));
  const [file, setFile] = useState<File | null>(null);
  const [alt, setAlt] = useState('');
  const send = useAction(async (chosen: File, call) => {
    const [result] = await uniferum.assets.upload({
      folder,
      files: [{ name: chosen.name, data: chosen }],
      ...(alt !== '' && { alt }),
      ...call,
    });
    if (!result?.asset)
      throw new Error(refusalOf(result?.verdict) ?? 'The file was not imported. Upload it again.');
    return result.asset;
  });
  return (
    <form
      className="flex flex-col gap-4 p-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (file) send.mutate(file, { onSuccess: onTaken });
      }}
    >
      <Field label="File">
        {(props) => (
          <Input {...props} type="file" onChange={(event) => setFile(event.target.files?.[0] ?? null)} />
        )}
      </Field>
      <Field label="Folder" hint="Its rules apply.">
        {(props) => <FolderPicker {...props} value={folder} onChange={setFolder} />}
      </Field>
      <Field label="Alternative text" hint="Describes the picture for people who can’t see it.">
        {(props) => <Input {...props} value={alt} onChange={(event) => setAlt(event.target.value)} />}
      </Field>
      <FailureLine error={send.error} />
      <Button look="main" type="submit" className="self-end" disabled={!file || send.isPending}>
        {send.isPending ? 'Uploading …' : verb}
      </Button>
    </form>
  );
}

function refusalOf(verdict: { reasons: readonly { message: string }[] } | undefined): string | undefined {
  return verdict?.reasons[0]?.message;
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
