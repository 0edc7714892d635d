import { Outlet } from 'react-router';
import { useMe } from '../access/hooks.js';
import { SignIn } from '../access/sign-in.js';
import { useLiveUpdates } from '../hooks/live.js';
import { Strip } from '../runs/strip.js';
import { ErrorNotice } from '../ui/notice.js';
import { Palette } from './palette.js';
import { Rail } from './rail.js';
import { ShortcutList } from './shortcut-list.js';
import { useStationKeys } from './use-station-keys.js';

/** The console around its stations, or the way in. */
export function Shell() {
  const { data: me, error, isLoading } = useMe();
  if (isLoading) return null;
  if (error)
    return (
      <div className="p-10">
        <ErrorNotice error={error} />
      </div>
    );
  return me ? <Console /> : <SignIn />;
}

function Console() {
  useLiveUpdates();
  useStationKeys();
  return (
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)_auto]">
      <Rail />
      <main className="min-h-0 overflow-hidden">
        <Outlet />
      </main>
      <Strip />
      <Palette />
      <ShortcutList />
    </div>
  );
}
