import { parseFilter } from '@uniferum/core/library';
import { BookmarkPlus, X } from 'lucide-react';
import { type FormEvent, useState } from 'react';
import { useRight } from '../access/hooks.js';
import { useComposition } from '../console/composition.js';
import { Button, IconButton } from '../ui/button.js';
import { Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { FailureLine } from '../ui/notice.js';
import { Popup } from '../ui/popup.js';
import { useSavedFilterChanges, useSavedFilters } from './hooks.js';

interface SavedFiltersProps {
  q: string;
  onSearch: (q: string) => void;
}

/** The saved filters, and saving the current one. */
export function SavedFilters({ q, onSearch }: SavedFiltersProps) {
  const { data: saved = [], error } = useSavedFilters();
  const { remove } = useSavedFilterChanges();
  const mayWrite = useRight('library:write');
  const current = saved.find((one) => one.q === q);
  return (
    <div className="flex items-center gap-1">
      <FailureLine error={error ?? remove.error} />
      <Select
        aria-label="Saved filters"
        className="w-36"
        value={current?.id ?? ''}
        onChange={(event) => onSearch(saved.find(({ id }) => id === event.target.value)?.q ?? '')}
      >
        <option value="">{saved.length === 0 ? 'No saved filters' : 'Saved filters'}</option>
        {saved.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </Select>
      {mayWrite && current && (
        <IconButton
          name={`Forget the saved filter ${current.name}`}
          disabled={remove.isPending}
          onClick={() => remove.mutate(current.id)}
        >
          <X className="size-4" />
        </IconButton>
      )}
      {mayWrite && !current && <SaveFilter q={q} />}
    </div>
  );
}

function SaveFilter({ q }: { q: string }) {
  const { filterFields } = useComposition();
  const isSound = q !== '' && parseFilter(q, Date.now(), filterFields).ok;
  return (
    <Popup
      name="Save this filter"
      className="w-80 p-4"
      button={
        <IconButton name="Save this filter" disabled={!isSound}>
          <BookmarkPlus className="size-4" />
        </IconButton>
      }
    >
      <SaveForm q={q} />
    </Popup>
  );
}

function SaveForm({ q }: { q: string }) {
  const [name, setName] = useState('');
  const { save } = useSavedFilterChanges();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate({ name, q }, { onSuccess: () => setName('') });
  };
  return (
    <form className="flex flex-col gap-3" onSubmit={submit}>
      <Field label="Save as">
        {(props) => (
          <Input
            {...props}
            value={name}
            onChange={(event) => setName(event.target.value)}
            required
            maxLength={100}
          />
        )}
      </Field>
      <p className="font-mono text-xs text-soft">{q}</p>
      <FormFoot error={save.error} code={saveCode(name, q)}>
        <Button look="main" type="submit" disabled={save.isPending}>
          Save
        </Button>
      </FormFoot>
    </form>
  );
}

function saveCode(name: string, q: string) {
  return {
    method: 'POST' as const,
    path: '/filters',
    body: { name, q },
    client: `await uniferum.filters.save(${JSON.stringify({ name, q }, null, 2)});`,
  };
}
