import type { PageSummary } from '@uniferum/core/pages';
import { Field, Select } from '../ui/field.js';
import { usePageTypes, useSitePages } from './page-hooks.js';

interface ParentFieldProps {
  /** The page that is moved: it can't be below itself. Null for a new one. */
  page: Pick<PageSummary, 'id' | 'path'> | null;
  /** The id of the page above; empty for none. */
  value: string;
  onChange: (parent: string) => void;
}

export function ParentField({ page, value, onChange }: ParentFieldProps) {
  const { data } = useSitePages('');
  const all = data?.pages.flatMap(({ items }) => items) ?? [];
  const others = all.filter(
    ({ id, path }) => page === null || (id !== page.id && !path.startsWith(`${page.path}/`)),
  );
  return (
    <Field label="Parent page" hint="The path of this page starts with that of its parent.">
      {(props) => (
        <Select {...props} value={value} onChange={(event) => onChange(event.target.value)}>
          <option value="">None (top level)</option>
          {others.map(({ id, path, title }) => (
            <option key={id} value={id}>
              {path} ({title})
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}

export function TypeField({ value, onChange }: { value: string; onChange: (type: string) => void }) {
  const { data: types = [] } = usePageTypes();
  return (
    <Field label="Type" hint="Determines the slots and regions of the page.">
      {(props) => (
        <Select {...props} value={value} onChange={(event) => onChange(event.target.value)}>
          {types.map(({ name, title }) => (
            <option key={name} value={name}>
              {title}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}
