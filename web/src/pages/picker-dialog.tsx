import type { Editor } from '@tiptap/react';
import { useState } from 'react';
import { uniferum } from '../client.js';
import { FolderPicker } from '../library/folder-picker.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input } from '../ui/field.js';
import { FailureLine } from '../ui/notice.js';
import { useAction } from '../ui/use-action.js';
import { ViewTabs } from '../ui/view-tabs.js';
import { placeAsset } from './place-media.js';
import { Shelf } from './shelf.js';

type Place = 'library' | 'upload' | 'address';

interface PickerDialogProps {
  editor: Editor;
  onClose: () => void;
}

/** Places a file from the library, from this computer, or from an address, without leaving the text. */
export function PickerDialog({ editor, onClose }: PickerDialogProps) {
  const [place, setPlace] = useState<Place>('library');
  const take = (asset: { id: string }) => {
    onClose();
    placeAsset(editor, asset);
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Place media"
      description="It stays in the library; the page follows it wherever it goes."
      className="w-[46rem]"
    >
      <ViewTabs<Place>
        label="Where it comes from"
        tabs={[
          { id: 'library', name: 'Library' },
          { id: 'upload', name: 'Upload' },
          { id: 'address', name: 'Address' },
        ]}
        chosen={place}
        onChoose={setPlace}
      />
      {place === 'library' && <Shelf onPlace={take} />}
      {place === 'upload' && <UploadForm onTaken={take} />}
      {place === 'address' && <AddressForm onTaken={take} />}
    </Dialog>
  );
}

interface TakeProps {
  onTaken: (asset: { id: string }) => void;
}

function UploadForm({ onTaken }: TakeProps) {
  const [folder, setFolder] = useState('/');
  const [file, setFile] = useState<File | null>(null);
  const [alt, setAlt] = useState('');
  const send = useAction(async (chosen: File, call) => {
    const [result] = await uniferum.assets.upload({
      folder,
      files: [{ name: chosen.name, data: chosen }],
      ...(alt !== '' && { alt }),
      ...call,
    });
    if (!result?.asset) throw new Error(refusalOf(result?.verdict) ?? 'The file was not taken in.');
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
        {send.isPending ? 'Uploading …' : 'Upload and place'}
      </Button>
    </form>
  );
}

function refusalOf(verdict: { reasons: readonly { message: string }[] } | undefined): string | undefined {
  return verdict?.reasons[0]?.message;
}

function AddressForm({ onTaken }: TakeProps) {
  const [address, setAddress] = useState('');
  const [folder, setFolder] = useState('/');
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
        {take.isPending ? 'Reading …' : 'Place'}
      </Button>
    </form>
  );
}
