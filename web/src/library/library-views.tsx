import { Copy, Images, Trash2 } from 'lucide-react';
import { NavLink } from 'react-router';
import { classNames } from '../ui/class-names.js';

const VIEWS = [
  { to: '/library', name: 'Library', icon: Images },
  { to: '/duplicates', name: 'Duplicates', icon: Copy },
  { to: '/bin', name: 'Bin', icon: Trash2 },
] as const;

/** The library's views other than its folders. */
export function LibraryViews() {
  return (
    <nav aria-label="Views of the library" className="flex items-center gap-1">
      {VIEWS.map(({ to, name, icon: Icon }) => (
        <NavLink
          key={to}
          to={to}
          className={({ isActive }) =>
            classNames(
              'inline-flex h-8 items-center gap-1.5 rounded-[3px] px-2 text-sm text-soft hover:text-ink',
              isActive && 'hidden',
            )
          }
        >
          <Icon className="size-3.5" aria-hidden="true" /> {name}
        </NavLink>
      ))}
    </nav>
  );
}
