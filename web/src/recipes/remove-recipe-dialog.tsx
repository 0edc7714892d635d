import { formatCount } from '@uniferum/core/intake';
import type { RecipeAnswer } from '@uniferum/core/recipes';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { ErrorNotice } from '../ui/notice.js';
import { useRecipeChanges } from './hooks.js';

/** Deletes a recipe; its files stay. */
export function RemoveRecipeDialog({ recipe, onClose }: { recipe: RecipeAnswer; onClose: () => void }) {
  const { remove } = useRecipeChanges();
  const made = recipe.renditions.fresh + recipe.renditions.outdated;
  const take = async () => {
    await remove.mutateAsync(recipe.name);
    onClose();
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Delete “${recipe.title}”?`}
      description={`Its ${formatCount(made, 'rendition')} stay at their addresses, because pages may show them. No new ones are created.`}
    >
      <div className="flex flex-col gap-4">
        {remove.error && <ErrorNotice error={remove.error} />}
        <div className="flex items-center justify-between">
          <Button look="fault" disabled={remove.isPending} onClick={() => void take().catch(() => {})}>
            Delete
          </Button>
          <AsCode
            code={{
              method: 'DELETE',
              path: `/recipes/${recipe.name}`,
              client: `await uniferum.recipes.remove('${recipe.name}');`,
            }}
          />
        </div>
      </div>
    </Dialog>
  );
}
