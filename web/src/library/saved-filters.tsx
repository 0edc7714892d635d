import { parseFilter } from '@uniferum/core/library';
import { BookmarkPlus, X } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { useComposition } from '../console/composition.js';
import { Button, IconButton } from '../ui/button.js';
import { Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { Popup } from '../ui/popup.js';
import { useSavedFilterChanges, useSavedFilters } from './hooks.js';

/** The filters that were saved, and saving the present one. */
export function SavedFilters({ q, onSearch }: { q: string; onSearch: (q: string) => void }) {
  const { data: saved = [] } = useSavedFilters();
  const { save, remove } = useSavedFilterChanges();
  const [name, setName] = useState('');
  const mayWrite = useRight('library:write');
  const { filterFields } = useComposition();
  const current = saved.find((one) => one.q === q);
  const isSound = q !== '' && parseFilter(q, Date.now(), filterFields).ok;
  return (
    <div className="flex items-center gap-1">
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
          onClick={() => remove.mutate(current.id)}
        >
          <X className="size-4" />
        </IconButton>
      )}
      {mayWrite && !current && (
        <Popup
          className="w-80 p-4"
          button={
            <IconButton name="Save this filter" disabled={!isSound}>
              <BookmarkPlus className="size-4" />
            </IconButton>
          }
        >
          <form
            className="flex flex-col gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              save.mutate({ name, q }, { onSuccess: () => setName('') });
            }}
          >
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
            <FormFoot
              error={save.error}
              code={{
                method: 'POST',
                path: '/filters',
                body: { name, q },
                client: `await uniferum.filters.save(${JSON.stringify({ name, q }, null, 2)});`,
              }}
            >
              <Button look="main" type="submit" disabled={save.isPending}>
                Save
              </Button>
            </FormFoot>
          </form>
        </Popup>
      )}
    </div>
  );
}
