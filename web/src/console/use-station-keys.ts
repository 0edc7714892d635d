import { useNavigate } from 'react-router';
import { useShortcut } from '../ui/use-shortcut.js';
import { useComposition } from './composition.js';
import { useOverlays } from './overlays.js';

/** The global shortcuts. */
export function useStationKeys(): void {
  const navigate = useNavigate();
  const open = useOverlays((state) => state.open);
  const { places } = useComposition();
  const built = places.filter(({ isToCome }) => !isToCome);
  useShortcut(
    built.map(({ key }) => `g>${key}`),
    (_event, { keys }) => {
      const station = built.find(({ key }) => keys?.at(-1) === key);
      if (station) void navigate(station.path);
    },
  );
  useShortcut('ctrl+k, meta+k', () => open('palette'), { preventDefault: true, enableOnFormTags: true });
  useShortcut('shift+slash, ?', () => open('shortcuts'), { useKey: true });
}
