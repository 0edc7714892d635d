import { type HotkeyCallback, type Keys, type Options, useHotkeys } from 'react-hotkeys-hook';

/** What lies over the page and takes the keys: dialogs, popovers and menus. Radix names all of them by these roles. */
const LAYERS = '[role="dialog"], [role="alertdialog"], [role="menu"]';

/**
 * Key presses that began while a layer was open. A layer may close before the shortcut's own listener runs, and one
 * Escape must not close two of them.
 */
const underLayer = new WeakSet<Event>();

if (typeof window !== 'undefined')
  window.addEventListener(
    'keydown',
    (event) => {
      if (document.querySelector(LAYERS)) underLayer.add(event);
    },
    { capture: true },
  );

/** A shortcut of the page below: it does nothing while a dialog, popover or menu is open. */
export function useShortcut(keys: Keys, press: HotkeyCallback, options: Options = {}): void {
  // Asked here, because the library's own condition does not hold for sequences such as `g r`.
  const pressBelow: HotkeyCallback = (event, hotkey) => {
    if (!underLayer.has(event)) press(event, hotkey);
  };
  useHotkeys(keys, pressBelow, options);
}
