import { type Editor, useEditorState } from '@tiptap/react';
import { useAsset } from '../library/hooks.js';
import { Button } from '../ui/button.js';
import { Checkbox, Field, Input, Select, TextArea } from '../ui/field.js';
import type { MediaAttributes } from './media-attributes.js';
import { RecipeField } from './recipe-choice.js';

/** How the selected picture is shown: rendition, alignment, texts and link. */
export function MediaPanel({ editor }: { editor: Editor }) {
  const attributes = useEditorState({
    editor,
    selector: ({ editor: one }) => one.getAttributes('media') as MediaAttributes,
  });
  const { data: asset } = useAsset(attributes.asset || null);
  const set = (part: Partial<MediaAttributes>) => editor.commands.updateAttributes('media', part);
  const { recipe, align, alt, decorative, caption, href } = attributes;
  return (
    <div className="flex flex-col gap-3 p-4">
      <h2 className="truncate font-semibold" dir="auto">
        {asset?.title ?? asset?.name ?? 'A file'}
      </h2>
      <RecipeField value={recipe} onChange={(chosen) => set({ recipe: chosen })} />
      <Field label="Alignment">
        {(props) => (
          <Select
            {...props}
            value={align ?? ''}
            onChange={(event) => set({ align: (event.target.value || null) as MediaAttributes['align'] })}
          >
            <option value="">Default</option>
            <option value="left">Left</option>
            <option value="right">Right</option>
            <option value="centre">Centre</option>
            <option value="wide">Full width</option>
          </Select>
        )}
      </Field>
      <Field
        label="Alternative text"
        hint={
          alt === null && asset?.alt
            ? `Empty: “${asset.alt}” of the file is used.`
            : "Describes the picture for people who can't see it."
        }
      >
        {(props) => (
          <TextArea
            {...props}
            rows={2}
            disabled={decorative}
            value={alt ?? ''}
            onChange={(event) => set({ alt: event.target.value === '' ? null : event.target.value })}
          />
        )}
      </Field>
      <Checkbox
        label="Decorative picture"
        checked={decorative}
        onChange={(event) => set({ decorative: event.target.checked })}
      />
      <Field label="Caption">
        {(props) => (
          <Input {...props} value={caption} onChange={(event) => set({ caption: event.target.value })} />
        )}
      </Field>
      <Field label="Link" hint="Opens when the picture is clicked.">
        {(props) => (
          <Input
            {...props}
            type="url"
            placeholder="https://"
            value={href}
            onChange={(event) => set({ href: event.target.value })}
          />
        )}
      </Field>
      <Button
        look="quiet"
        className="self-start"
        onClick={() => editor.chain().focus().deleteSelection().run()}
      >
        Remove from page
      </Button>
    </div>
  );
}
