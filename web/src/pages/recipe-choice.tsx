import { useRecipes } from '../recipes/hooks.js';
import { Field, type FieldControlProps, Select } from '../ui/field.js';

interface RecipeSelectProps extends Partial<FieldControlProps> {
  value: string | null;
  onChange: (recipe: string | null) => void;
  /** The names of the recipes to choose from; all when absent. */
  only?: readonly string[];
  className?: string;
  'aria-label'?: string;
}

/** Chooses which rendition of a file is shown; null is the original. */
export function RecipeSelect({ value, onChange, only, ...rest }: RecipeSelectProps) {
  const { data: all = [] } = useRecipes();
  const recipes = only ? all.filter(({ name }) => only.includes(name)) : all;
  return (
    <Select {...rest} value={value ?? ''} onChange={(event) => onChange(event.target.value || null)}>
      <option value="">Original</option>
      {value !== null && !recipes.some(({ name }) => name === value) && (
        <option value={value}>{value} (missing recipe)</option>
      )}
      {recipes.map(({ name, title }) => (
        <option key={name} value={name}>
          {title || name}
        </option>
      ))}
    </Select>
  );
}

/** The same with its label. */
export function RecipeField({ className = '', ...rest }: RecipeSelectProps) {
  return (
    <Field label="Rendition" className={className}>
      {(props) => <RecipeSelect {...props} {...rest} />}
    </Field>
  );
}
