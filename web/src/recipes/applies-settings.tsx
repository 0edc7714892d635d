import type { Kind } from '@uniferum/core/library';
import { RECIPE_TIMES, type RecipeTime } from '@uniferum/core/recipes';
import { type Dispatch, useState } from 'react';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { WHEN_WORDS } from './describe.js';
import type { Draft, DraftAction } from './draft.js';

const RENDERED_KINDS: readonly Kind[] = ['image', 'vector', 'document', 'video', 'audio'];

interface AppliesSettingsProps {
  draft: Draft;
  dispatch: Dispatch<DraftAction>;
}

/** The files a recipe applies to, and when its renditions are made. */
export function AppliesSettings({ draft, dispatch }: AppliesSettingsProps) {
  return (
    <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
      <Kinds draft={draft} dispatch={dispatch} />
      <Folders draft={draft} dispatch={dispatch} />
      <Field label="Made" className="w-64">
        {(props) => (
          <Select
            {...props}
            value={draft.when}
            onChange={(event) => dispatch({ do: 'set', values: { when: event.target.value as RecipeTime } })}
          >
            {RECIPE_TIMES.map((when) => (
              <option key={when} value={when}>
                {WHEN_WORDS[when]}
              </option>
            ))}
          </Select>
        )}
      </Field>
    </div>
  );
}

function Kinds({ draft, dispatch }: AppliesSettingsProps) {
  const toggle = (kind: Kind) => {
    const kinds = draft.kinds.includes(kind)
      ? draft.kinds.filter((one) => one !== kind)
      : RENDERED_KINDS.filter((one) => one === kind || draft.kinds.includes(one));
    if (kinds.length > 0) dispatch({ do: 'set', values: { kinds } });
  };
  return (
    <fieldset>
      <legend className="text-sm font-medium">Kinds of files</legend>
      <div className="flex h-9 items-center gap-4">
        {RENDERED_KINDS.map((kind) => (
          <Checkbox
            key={kind}
            label={kind}
            checked={draft.kinds.includes(kind)}
            onChange={() => toggle(kind)}
          />
        ))}
      </div>
    </fieldset>
  );
}

function Folders({ draft, dispatch }: AppliesSettingsProps) {
  const [folders, setFolders] = useState(draft.folders.join(', '));
  return (
    <Field
      label="Folders, including subfolders"
      className="w-64"
      hint="Separated by commas; empty for every folder."
    >
      {(props) => (
        <Input
          {...props}
          className="font-mono"
          placeholder="/"
          value={folders}
          onChange={(event) => {
            setFolders(event.target.value);
            dispatch({ do: 'set', values: { folders: readFolders(event.target.value) } });
          }}
        />
      )}
    </Field>
  );
}

function readFolders(text: string): string[] {
  return [
    ...new Set(
      text
        .split(',')
        .map((one) => one.trim())
        .filter((one) => one.startsWith('/')),
    ),
  ];
}
