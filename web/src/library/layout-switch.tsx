import { Rows3, StretchHorizontal } from 'lucide-react';
import { ToggleGroup } from 'radix-ui';

type Layout = 'sheet' | 'table';

/** Switches between contact sheet and table. */
export function LayoutSwitch({ layout, onChange }: { layout: Layout; onChange: (layout: Layout) => void }) {
  const itemClass =
    'inline-flex h-7 items-center gap-1.5 px-2.5 text-sm text-soft data-[state=on]:bg-ink data-[state=on]:text-surface';
  return (
    <ToggleGroup.Root
      type="single"
      value={layout}
      onValueChange={(value) => value && onChange(value as Layout)}
      aria-label="Layout"
      className="inline-flex overflow-hidden rounded-[3px] border border-rule-strong"
    >
      <ToggleGroup.Item value="sheet" className={itemClass}>
        <StretchHorizontal className="size-3.5" aria-hidden="true" /> Sheet
      </ToggleGroup.Item>
      <ToggleGroup.Item value="table" className={itemClass}>
        <Rows3 className="size-3.5" aria-hidden="true" /> Table
      </ToggleGroup.Item>
    </ToggleGroup.Root>
  );
}
