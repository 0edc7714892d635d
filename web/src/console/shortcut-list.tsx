import { Dialog } from '../ui/dialog.js';
import { useComposition } from './composition.js';
import { useOverlays } from './overlays.js';

const BEFORE: [keys: string[], text: string][] = [
  [['Ctrl', 'K'], 'Go to a station or folder'],
  [['?'], 'This list'],
];

const AFTER: [keys: string[], text: string][] = [
  [['←', '→', '↑', '↓'], 'In the library: move to the next asset'],
  [['Enter'], 'In the library: open or close the line'],
  [['/'], 'In the library: type a filter'],
  [['x'], 'In the library: select the asset'],
  [['a'], 'In the library: select all results'],
  [['c'], 'In the library: show or hide facets'],
  [['v'], 'In the library: sheet or table'],
  [['Esc'], 'Close what is open'],
];

/** All single-key shortcuts. */
export function ShortcutList() {
  const { shown, close } = useOverlays();
  const { places } = useComposition();
  const shortcuts = [
    ...BEFORE,
    ...places
      .filter(({ isToCome }) => !isToCome)
      .map(({ name, key }): [string[], string] => [['g', key], name]),
    ...AFTER,
  ];
  return (
    <Dialog
      isOpen={shown === 'shortcuts'}
      onOpenChange={close}
      title="Keyboard shortcuts"
      description="Keys in a row are pressed one after the other."
    >
      <dl className="grid grid-cols-2 gap-x-8">
        {shortcuts.map(([keys, text]) => (
          <div
            key={text}
            className="flex items-center justify-between gap-4 border-t border-rule py-1.5 text-sm"
          >
            <dt>{text}</dt>
            <dd className="flex gap-1">
              {keys.map((key) => (
                <kbd
                  key={key}
                  className="figure min-w-6 rounded-[3px] border border-rule-strong px-1.5 text-center"
                >
                  {key}
                </kbd>
              ))}
            </dd>
          </div>
        ))}
      </dl>
    </Dialog>
  );
}
