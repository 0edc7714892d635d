import type { MouseEvent } from 'react';
import { classNames } from '../ui/class-names.js';
import { useSelection } from './selection.js';

interface ChooseBoxProps {
  id: string;
  name: string;
  order: readonly string[];
  className?: string;
}

/** The checkbox that selects an asset for bulk actions. */
export function ChooseBox({ id, name, order, className }: ChooseBoxProps) {
  const isChosen = useSelection(({ ids, isAll }) => isAll || ids.has(id));
  const { toggle, extendTo } = useSelection.getState();
  return (
    <input
      type="checkbox"
      aria-label={`Select ${name}`}
      checked={isChosen}
      onChange={() => {}}
      onClick={(event: MouseEvent) => {
        event.stopPropagation();
        if (event.shiftKey) extendTo(id, order);
        else toggle(id);
      }}
      className={classNames('size-4 accent-oxide', className)}
    />
  );
}
