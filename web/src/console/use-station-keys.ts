import { useHotkeys } from 'react-hotkeys-hook';
import { useNavigate } from 'react-router';
import { useOverlays } from './overlays.js';
import { STATIONS } from './stations.js';

/** The shortcuts that hold everywhere. */
export function useStationKeys(): void {
  const navigate = useNavigate();
  const open = useOverlays((state) => state.open);
  const built = STATIONS.filter(({ isBuilt }) => isBuilt);
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
