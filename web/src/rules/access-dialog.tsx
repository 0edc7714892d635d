import {
  type Folder,
  type FolderAccessAnswer,
  PUBLIC_METADATA,
  type PublicMetadata,
  parentPath,
  VISIBILITIES,
  type Visibility,
} from '@uniferum/core/library';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { ErrorNotice } from '../ui/notice.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useAccess, usePutAccess } from './hooks.js';

interface AccessDialogProps {
  folder: Folder;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

/** Shows and changes who may read a folder's files, and which embedded metadata its public originals keep. */
export function AccessDialog({ folder, isOpen, onOpenChange }: AccessDialogProps) {
  const { data, error } = useAccess(folder.id);
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`What ${folder.path === '/' ? 'the library' : folder.path} publishes`}
      description="Who may read the files here and in subfolders, and what is embedded in them. Stored originals are not changed."
      className="w-[38rem]"
    >
      {error && <ErrorNotice error={error} />}
      {data && <Choice folder={folder} answer={data} onDone={() => onOpenChange(false)} />}
    </Dialog>
  );
}

type Chosen = PublicMetadata | 'inherit';
type ChosenVisibility = Visibility | 'inherit';

const VISIBILITY_WORDS: Record<Visibility, string> = {
  public: 'everybody',
  private: 'only with a key, a session or a link',
};

const WORDS: Record<PublicMetadata, { title: string; about: string }> = {
  all: {
    title: 'Everything',
    about: 'The file exactly as it came, with position, serial numbers and previews.',
  },
  rights: {
    title: 'Credit and rights',
    about: 'Artist, copyright, credit and terms. The same picture, to the last pixel.',
  },
  none: {
    title: 'Nothing',
    about: 'Only what is needed to display it: pixels, colours and orientation.',
  },
};

interface ChoiceProps {
  folder: Folder;
  answer: FolderAccessAnswer;
  onDone: () => void;
}

function Choice({ folder, answer: { own, effective }, onDone }: ChoiceProps) {
  const mayChange = useRight('rules:write');
  const [chosen, setChosen] = useState<Chosen>(own.publicMetadata ?? 'inherit');
  const [visibility, setVisibility] = useState<ChosenVisibility>(own.visibility ?? 'inherit');
  const isChanged =
    chosen !== (own.publicMetadata ?? 'inherit') || visibility !== (own.visibility ?? 'inherit');
  useUnsavedChanges(isChanged ? 'Your choice has not been saved.' : null);
  const put = usePutAccess();
  const access = {
    visibility: visibility === 'inherit' ? null : visibility,
    publicMetadata: chosen === 'inherit' ? null : chosen,
  };
  const save = async () => {
    await put.mutateAsync({ folderId: folder.id, access });
    onDone();
  };
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        void save().catch(() => {});
      }}
    >
      <Field label="Who may read the files">
        {(props) => (
          <Select
            {...props}
            disabled={!mayChange}
            value={visibility}
            onChange={(event) => setVisibility(event.target.value as ChosenVisibility)}
          >
            <option value="inherit">
              {folder.path === '/' ? 'the default: everybody' : inheritedVisibility(folder, own, effective)}
            </option>
            {VISIBILITIES.map((value) => (
              <option key={value} value={value}>
                {VISIBILITY_WORDS[value]}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Options
        folder={folder}
        inherited={inheritedWords(folder, own, effective)}
        chosen={chosen}
        onChoose={setChosen}
      />
      {mayChange ? (
        <FormFoot
          error={put.error}
          code={{
            method: 'PUT',
            path: `/folders/${folder.id}/access`,
            body: access,
            client: `await uniferum.folders.putAccess('${folder.id}', ${JSON.stringify(access)});`,
            command: commandLine('access', folder.path, '--visibility', visibility, '--metadata', chosen),
          }}
        >
          <Button look="main" type="submit" disabled={put.isPending}>
            Save
          </Button>
        </FormFoot>
      ) : (
        <p className="text-sm text-soft">To change this you need the right “rules:write”.</p>
      )}
    </form>
  );
}

interface OptionsProps {
  folder: Folder;
  /** The value inherited when the folder sets none. */
  inherited: string;
  chosen: Chosen;
  onChoose: (value: Chosen) => void;
}

function Options({ folder, inherited, chosen, onChoose }: OptionsProps) {
  const mayChange = useRight('rules:write');
  return (
    <fieldset className="flex flex-col gap-2" disabled={!mayChange}>
      <legend className="mb-1 text-sm font-medium">Embedded metadata of public originals</legend>
      <Option
        value="inherit"
        title={folder.path === '/' ? 'The default' : 'Inherit'}
        about={inherited}
        chosen={chosen}
        onChoose={onChoose}
      />
      {PUBLIC_METADATA.map((value) => (
        <Option key={value} value={value} {...WORDS[value]} chosen={chosen} onChoose={onChoose} />
      ))}
    </fieldset>
  );
}

interface OptionProps {
  value: Chosen;
  title: string;
  about: string;
  chosen: Chosen;
  onChoose: (value: Chosen) => void;
}

function Option({ value, title, about, chosen, onChoose }: OptionProps) {
  return (
    <label className="flex items-start gap-3 border-l-2 border-rule px-3 py-1.5 has-checked:border-l-oxide has-checked:bg-oxide/5">
      <input
        type="radio"
        name="publicMetadata"
        className="mt-0.5 size-4 accent-oxide"
        checked={chosen === value}
        onChange={() => onChoose(value)}
      />
      <span>
        <span className="block text-sm font-medium">{title}</span>
        <span className="block text-sm text-soft">{about}</span>
      </span>
    </label>
  );
}

/** The inherited visibility, as far as it is known here. */
function inheritedVisibility(
  folder: Folder,
  own: FolderAccessAnswer['own'],
  { visibility: { value, from } }: FolderAccessAnswer['effective'],
): string {
  if (own.visibility !== null) return `as set by ${parentPath(folder.path)}`;
  return `${VISIBILITY_WORDS[value]}, ${from === null ? 'the default' : `from ${from}`}`;
}

/** The inherited value, as far as it is known here. */
function inheritedWords(
  folder: Folder,
  own: FolderAccessAnswer['own'],
  { publicMetadata: { value, from } }: FolderAccessAnswer['effective'],
): string {
  if (folder.path === '/') return `${WORDS.rights.title}.`;
  if (own.publicMetadata !== null) return `As set by ${parentPath(folder.path)}.`;
  return `${WORDS[value].title}, ${from === null ? 'the default' : `from ${from}`}.`;
}
