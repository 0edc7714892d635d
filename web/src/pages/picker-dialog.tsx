import type { Editor } from '@tiptap/react';
import { useState } from 'react';
import { Dialog } from '../ui/dialog.js';
import { ViewTabs } from '../ui/view-tabs.js';
import { placeAsset } from './place-media.js';
import { Shelf } from './shelf.js';
import { AddressForm, UploadForm } from './take-forms.js';

export type Place = 'library' | 'upload' | 'address';

export const PLACES: readonly { id: Place; name: string }[] = [
  { id: 'library', name: 'Library' },
  { id: 'upload', name: 'Upload' },
  { id: 'address', name: 'Address' },
];

interface PickerDialogProps {
  editor: Editor;
  /** Files of this computer that were dropped into the text, or pasted. */
  dropped?: readonly File[];
  onClose: () => void;
}

/** Places a file from the library, from this computer, or from an address, without leaving the text. */
export function PickerDialog({ editor, dropped = [], onClose }: PickerDialogProps) {
  const [place, setPlace] = useState<Place>(dropped.length > 0 ? 'upload' : 'library');
  const take = (asset: { id: string }) => {
    onClose();
    placeAsset(editor, asset);
  };
  const takeAll = (assets: readonly { id: string }[], isAll: boolean) => {
    if (isAll) onClose();
    for (const asset of assets) placeAsset(editor, asset);
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Place media"
      description="It stays in the library; the page follows it wherever it goes."
      className="w-[46rem]"
    >
      <ViewTabs<Place> label="Where it comes from" tabs={PLACES} chosen={place} onChoose={setPlace} />
      {place === 'library' && <Shelf onPlace={take} />}
      {place === 'upload' && <UploadForm isSeveral dropped={dropped} onUploaded={takeAll} />}
      {place === 'address' && <AddressForm onTaken={take} />}
    </Dialog>
  );
}
