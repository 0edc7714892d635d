import {
  OUTPUT_FORMATS,
  type OutputFormat,
  RECIPE_NAME,
  type Recipe,
  type RecipeAnswer,
} from '@uniferum/core';
import { useForm } from 'react-hook-form';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { ErrorNotice } from '../ui/notice.js';
import { useRecipeChanges } from './hooks.js';

interface RecipeForm {
  name: string;
  title: string;
  mode: 'inside' | 'cover';
  width: string;
  height: string;
  format: OutputFormat;
  quality: string;
  metadata: Recipe['output']['metadata'];
  when: Recipe['when'];
  withVectors: boolean;
}

/** Makes a recipe, or changes one. */
export function RecipeDialog({ recipe, onClose }: { recipe: RecipeAnswer | null; onClose: () => void }) {
  const { register, handleSubmit, formState, watch } = useForm<RecipeForm>({ defaultValues: toForm(recipe) });
  const changes = useRecipeChanges();
  const mutation = recipe ? changes.put : changes.make;
  const submit = handleSubmit(async (form) => {
    await mutation.mutateAsync(toRecipe(form, recipe));
    onClose();
  });
  const { errors } = formState;
  const form = watch();
  const side = { pattern: { value: /^[1-9]\d{0,4}$/, message: 'Write pixels as a whole number.' } };
  const wanted = toRecipe(form, recipe);
  const { name, ...body } = wanted;
  const description = recipe
    ? 'What it made before becomes outdated, stays at its address, and is made again by a rebuild.'
    : 'Pictures that arrive get its rendition; for those that are there already, rehearse a rebuild.';
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={recipe ? `Change ${recipe.title}` : 'New recipe'}
      description={description}
    >
      <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
        <div className="grid grid-cols-[1fr_12rem] gap-4">
          <Field label="Title" error={errors.title?.message}>
            {(props) => (
              <Input autoFocus {...props} {...register('title', { required: 'Write what it is for.' })} />
            )}
          </Field>
          <Field label="Name in addresses" error={errors.name?.message}>
            {(props) => (
              <Input
                className="font-mono"
                readOnly={recipe !== null}
                {...props}
                {...register('name', {
                  pattern: { value: RECIPE_NAME, message: 'Lower-case letters, digits and hyphens.' },
                  required: 'Write a name.',
                })}
              />
            )}
          </Field>
        </div>
        <div className="grid grid-cols-[1fr_8rem_8rem] gap-4">
          <Field label="What happens">
            {(props) => (
              <Select {...props} {...register('mode')}>
                <option value="inside">Fit into the box, nothing cut off</option>
                <option value="cover">Crop to the box</option>
              </Select>
            )}
          </Field>
          <Field label="Width, px" error={errors.width?.message}>
            {(props) => (
              <Input inputMode="numeric" className="text-right" {...props} {...register('width', side)} />
            )}
          </Field>
          <Field label="Height, px" error={errors.height?.message}>
            {(props) => (
              <Input inputMode="numeric" className="text-right" {...props} {...register('height', side)} />
            )}
          </Field>
        </div>
        <div className="grid grid-cols-[1fr_8rem_1fr] gap-4">
          <Field label="Format">
            {(props) => (
              <Select {...props} {...register('format')}>
                {OUTPUT_FORMATS.map((format) => (
                  <option key={format} value={format}>
                    {format === 'keep' ? 'same as the original' : format}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <Field label="Quality" error={errors.quality?.message}>
            {(props) => (
              <Input
                inputMode="numeric"
                className="text-right"
                {...props}
                {...register('quality', { pattern: { value: /^([1-9]\d?|100)$/, message: '1 to 100.' } })}
              />
            )}
          </Field>
          <Field label="Embedded metadata">
            {(props) => (
              <Select {...props} {...register('metadata')}>
                <option value="none">none</option>
                <option value="rights">artist and copyright</option>
                <option value="all">all</option>
              </Select>
            )}
          </Field>
        </div>
        <div className="flex items-end gap-8">
          <Checkbox className="h-8" label="Drawings (SVG) as well" {...register('withVectors')} />
          <Field label="Made" className="ml-auto w-52">
            {(props) => (
              <Select {...props} {...register('when')}>
                <option value="background">in the background</option>
                <option value="at-once">at once, before others</option>
              </Select>
            )}
          </Field>
        </div>
        {mutation.error && <ErrorNotice error={mutation.error} />}
        <div className="flex items-center justify-between">
          <Button look="main" type="submit" disabled={mutation.isPending}>
            {recipe ? 'Save the recipe' : 'Make the recipe'}
          </Button>
          <AsCode
            code={
              recipe
                ? {
                    method: 'PUT',
                    path: `/recipes/${name}`,
                    body,
                    client: `await uniferum.recipes.put('${name}', ${JSON.stringify(body, null, 2)});`,
                  }
                : {
                    method: 'POST',
                    path: '/recipes',
                    body: wanted,
                    client: `await uniferum.recipes.make(${JSON.stringify(wanted, null, 2)});`,
                  }
            }
          />
        </div>
      </form>
    </Dialog>
  );
}

function toForm(recipe: RecipeAnswer | null): RecipeForm {
  const step = recipe?.steps.at(-1);
  return {
    name: recipe?.name ?? '',
    title: recipe?.title ?? '',
    mode: step?.mode ?? 'inside',
    width: step?.width === undefined ? (recipe ? '' : '1000') : String(step.width),
    height: step?.height === undefined ? (recipe ? '' : '1000') : String(step.height),
    format: recipe?.output.format ?? 'keep',
    quality: String(recipe?.output.quality ?? 80),
    metadata: recipe?.output.metadata ?? 'none',
    when: recipe?.when ?? 'background',
    withVectors: recipe?.kinds.includes('vector') ?? false,
  };
}

/** The form shows the last step; those before it stay as they are. */
function toRecipe(form: RecipeForm, recipe: RecipeAnswer | null): Omit<Recipe, 'revision'> {
  const before = recipe?.steps.slice(0, -1) ?? [];
  return {
    name: form.name,
    title: form.title,
    kinds: form.withVectors ? ['image', 'vector'] : ['image'],
    folders: recipe?.folders ?? [],
    when: form.when,
    steps: [
      ...before,
      {
        op: 'fit',
        mode: form.mode,
        ...(form.width && { width: Number(form.width) }),
        ...(form.height && { height: Number(form.height) }),
      },
    ],
    output: { format: form.format, quality: Number(form.quality), metadata: form.metadata },
  };
}
