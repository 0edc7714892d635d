import { CircleHelp, LogOut, Moon, Search, Sun } from 'lucide-react';
import { Link, NavLink } from 'react-router';
import { useMe, useSignOut } from '../access/hooks.js';
import { useUploads } from '../intake/uploads.js';
import { ask } from '../ui/ask.js';
import { IconButton } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { unsavedAnywhere } from '../ui/unsaved.js';
import { useComposition } from './composition.js';
import { Mark } from './mark.js';
import { useOverlays } from './overlays.js';
import type { Place } from './station.js';
import { useTheme } from './theme.js';

/** The stations, in the order of the work. */
export function TopNav() {
  const { places } = useComposition();
  return (
    <header className="flex h-11 items-stretch justify-between gap-4 border-b border-rule-strong bg-surface pr-3 pl-6 max-lg:gap-1 max-lg:pl-3">
      <Link to="/" className="mr-2 inline-flex items-center" aria-label="Uniferum, to the flow">
        <Mark />
      </Link>
      <nav aria-label="Stations" className="flex min-w-0 flex-1 items-stretch overflow-x-auto">
        {places.map((place) =>
          place.isToCome ? (
            <PlaceToCome key={place.name} name={place.name} />
          ) : (
            <PlaceLink key={place.name} place={place} />
          ),
        )}
      </nav>
      <TopNavTools />
    </header>
  );
}

function PlaceLink({ place: { name, path } }: { place: Place }) {
  return (
    <NavLink
      to={path}
      end={path === '/'}
      className={({ isActive }) =>
        classNames(
          'relative inline-flex items-center px-3 text-sm max-lg:px-2',
          isActive
            ? 'font-semibold text-ink after:absolute after:inset-x-3 after:-bottom-px after:h-[3px] after:bg-oxide'
            : 'text-soft hover:text-ink',
        )
      }
    >
      {name}
    </NavLink>
  );
}

function PlaceToCome({ name }: { name: string }) {
  return (
    <span
      aria-disabled="true"
      title={`${name} comes with a later version`}
      className="inline-flex cursor-default items-center px-3 text-sm text-soft/60 max-lg:px-2"
    >
      {name}
    </span>
  );
}

function TopNavTools() {
  const { theme, toggle } = useTheme();
  const open = useOverlays((state) => state.open);
  return (
    <div className="flex shrink-0 items-center gap-1">
      <button
        type="button"
        onClick={() => open('palette')}
        className="mr-1 inline-flex h-7 items-center gap-2 rounded-[3px] border border-rule px-2 text-sm text-soft hover:border-rule-strong hover:text-ink"
      >
        <Search className="size-3.5" aria-hidden="true" /> <span className="max-lg:sr-only">Go to</span>
        <kbd className="figure max-lg:hidden">Ctrl K</kbd>
      </button>
      <IconButton name="Keyboard shortcuts" onClick={() => open('shortcuts')}>
        <CircleHelp className="size-4" />
      </IconButton>
      <IconButton name={theme === 'light' ? 'Dark colours' : 'Light colours'} onClick={toggle}>
        {theme === 'light' ? <Moon className="size-4" /> : <Sun className="size-4" />}
      </IconButton>
      <SignOutButton />
    </div>
  );
}

/** Signs out, which stops uploads; asks first when something would be lost. */
function SignOutButton() {
  const { data: me } = useMe();
  const signOut = useSignOut();
  const leave = async () => {
    const { progress, forget } = useUploads.getState();
    const lost = progress.isSending ? 'Uploads are in progress. Signing out stops them.' : unsavedAnywhere();
    if (lost && !(await ask({ title: 'Sign out?', text: lost, yes: 'Sign out', no: 'Stay' }))) return;
    forget();
    signOut.mutate();
  };
  return (
    <>
      {signOut.error && (
        <span role="alert" className="text-sm text-fault">
          Not signed out: {signOut.error.message}
        </span>
      )}
      <IconButton
        name={`Sign out ${me?.name ?? ''}`}
        disabled={signOut.isPending}
        onClick={() => void leave()}
      >
        <LogOut className="size-4" />
      </IconButton>
    </>
  );
}
