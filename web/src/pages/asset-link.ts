import { Mark } from '@tiptap/core';

/** A link to a file of the library, which follows it wherever it goes: `<a data-asset="7">`. */
export const AssetLink = Mark.create({
  name: 'assetLink',
  inclusive: false,
  addAttributes: () => ({
    asset: {
      default: '',
      parseHTML: (element: HTMLElement) => element.getAttribute('data-asset'),
      renderHTML: ({ asset }: { asset: string }) => ({ 'data-asset': asset }),
    },
    recipe: {
      default: null,
      parseHTML: (element: HTMLElement) => element.getAttribute('data-recipe'),
      renderHTML: ({ recipe }: { recipe: string | null }) => (recipe ? { 'data-recipe': recipe } : {}),
    },
  }),
  parseHTML: () => [{ tag: 'a[data-asset]', priority: 60 }],
  renderHTML: ({ HTMLAttributes }) => ['a', HTMLAttributes, 0],
});
