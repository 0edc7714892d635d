import { useHotkeys } from 'react-hotkeys-hook';
import { useNavigate } from 'react-router';
import { useComposition } from './composition.js';
import { useOverlays } from './overlays.js';

/** The global shortcuts. */
export function useStationKeys(): void {
  const navigate = useNavigate();
  const open = useOverlays((state) => state.open);
  const { places } = useComposition();
  const built = places.filter(({ isToCome }) => !isToCome);
  useHotkeys(
    built.map(({ key }) => `g>${key}`),
    (_event, { keys }) => {
      const station = built.find(({ key }) => keys?.at(-1) === key);
      if (station) void navigate(station.path);
    },
  );
  useHotkeys('ctrl+k, meta+k', () => open('palette'), { preventDefault: true, enableOnFormTags: true });
  useHotkeys('shift+slash, ?', () => open('shortcuts'), { useKey: true });
}
