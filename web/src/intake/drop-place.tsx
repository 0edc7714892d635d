import { FolderUp, Upload } from 'lucide-react';
import { type Ref, useRef } from 'react';
import { useDropzone } from 'react-dropzone';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { Checkbox } from '../ui/field.js';

interface DropPlaceProps {
  folder: string;
  unpack: boolean;
  onUnpack: (unpack: boolean) => void;
  onFiles: (files: File[]) => void;
}

/** The drop zone for files and whole folders. */
export function DropPlace({ folder, unpack, onUnpack, onFiles }: DropPlaceProps) {
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: onFiles,
    noClick: true,
    noKeyboard: true,
  });
  const folderInput = useRef<HTMLInputElement>(null);
  return (
    <div
      {...getRootProps()}
      className={classNames(
        'flex min-h-36 flex-col items-center justify-center gap-3 border border-dashed',
        isDragActive ? 'border-oxide bg-oxide-wash' : 'border-rule-strong bg-surface',
      )}
    >
      <input {...getInputProps()} aria-label="Files to upload" />
      <FolderInput ref={folderInput} onFiles={onFiles} />
      <div className="flex items-center gap-4">
        <Upload className="size-6 text-soft" aria-hidden="true" strokeWidth={1.5} />
        <p className="text-lg">
          {isDragActive ? `Drop to upload to ${folder}` : 'Drop files or whole folders here'}
        </p>
        {!isDragActive && (
          <>
            <Button look="main" onClick={open}>
              Choose files
            </Button>
            <Button onClick={() => folderInput.current?.click()}>
              <FolderUp className="size-3.5" aria-hidden="true" /> Choose a folder
            </Button>
          </>
        )}
      </div>
      <Checkbox
        label="Unpack zip archives; their folders become folders here"
        checked={unpack}
        onChange={(event) => onUnpack(event.target.checked)}
      />
    </div>
  );
}

interface FolderInputProps {
  ref: Ref<HTMLInputElement>;
  onFiles: (files: File[]) => void;
}

function FolderInput({ ref, onFiles }: FolderInputProps) {
  return (
    <input
      ref={ref}
      type="file"
      hidden
      multiple
      aria-label="Folder to upload"
      onChange={(event) => {
        onFiles([...(event.target.files ?? [])]);
        event.target.value = '';
      }}
      {...{ webkitdirectory: '' }}
    />
  );
}
