import { Upload } from 'lucide-react';
import { useDropzone } from 'react-dropzone';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';

/** Where files are dropped or chosen; whole folders can be dropped as well. */
export function DropPlace({ folder, onFiles }: { folder: string; onFiles: (files: File[]) => void }) {
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    onDrop: onFiles,
    noClick: true,
    noKeyboard: true,
  });
  return (
    <div
      {...getRootProps()}
      className={classNames(
        'my-4 flex h-32 items-center justify-center gap-4 border border-dashed',
        isDragActive ? 'border-oxide bg-oxide-wash' : 'border-rule-strong bg-surface',
      )}
    >
      <input {...getInputProps()} aria-label="Files to bring in" />
      <Upload className="size-6 text-soft" aria-hidden="true" strokeWidth={1.5} />
      <p className="text-lg">
        {isDragActive ? `Let go to bring them into ${folder}` : 'Drop files or folders here'}
      </p>
      {!isDragActive && (
        <Button look="main" onClick={open}>
          Choose files
        </Button>
      )}
    </div>
  );
}
