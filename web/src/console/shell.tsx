import { lazy, Suspense, useRef } from 'react';
import { Outlet } from 'react-router';
import { useMe } from '../access/hooks.js';
import { SessionEnded } from '../access/session-ended.js';
import { SignIn } from '../access/sign-in.js';
import { RunBar } from '../runs/run-bar.js';
import { AskDialog } from '../ui/ask.js';
import { ErrorNotice } from '../ui/notice.js';
import { LeaveGuard } from './leave-guard.js';
import { useLiveUpdates } from './live.js';
import { useOverlays } from './overlays.js';
import { TopNav } from './top-nav.js';
import { useRouteFocus } from './use-route-focus.js';
import { useStationKeys } from './use-station-keys.js';

/** The frame around all stations, or the sign-in page. */
export function Shell() {
  const { data: me, error, isLoading } = useMe();
  if (isLoading) return null;
  // A failed refresh of what is known already takes nothing away.
  if (error && me === undefined)
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
  const content = useRef<HTMLElement>(null);
  useRouteFocus(content);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)_auto]">
      <button
        type="button"
        onClick={() => content.current?.focus()}
        className="sr-only focus:not-sr-only focus:absolute focus:top-1.5 focus:left-1.5 focus:z-[90] focus:border focus:border-oxide focus:bg-raised focus:px-3 focus:py-1"
      >
        Skip to content
      </button>
      <TopNav />
      <main ref={content} tabIndex={-1} className="min-h-0 overflow-hidden outline-none">
        <Outlet />
      </main>
      <RunBar />
      <Overlays />
      <LeaveGuard />
      <AskDialog />
      <SessionEnded />
    </div>
  );
}

const Palette = lazy(async () => ({ default: (await import('./palette.js')).Palette }));
const ShortcutList = lazy(async () => ({ default: (await import('./shortcut-list.js')).ShortcutList }));

/** Overlays are loaded when first opened. */
function Overlays() {
  const shown = useOverlays((state) => state.shown);
  return (
    <Suspense>
      {shown === 'palette' && <Palette />}
      {shown === 'shortcuts' && <ShortcutList />}
    </Suspense>
  );
}
