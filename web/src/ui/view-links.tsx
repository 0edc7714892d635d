import { NavLink } from 'react-router';
import { classNames } from './class-names.js';

interface ViewLinksProps {
  label: string;
  views: readonly { to: string; name: string; count?: number | undefined }[];
}

/** The views of a station, as links above its content. */
export function ViewLinks({ label, views }: ViewLinksProps) {
  return (
    <nav aria-label={label} className="flex gap-5 border-b border-rule px-6">
      {views.map(({ to, name, count }) => (
        <NavLink
          key={to}
          to={to}
          end
          className={({ isActive }) =>
            classNames(
              '-mb-px border-b-2 py-2 text-sm',
              isActive ? 'border-oxide font-medium text-ink' : 'border-transparent text-soft hover:text-ink',
            )
          }
        >
          {name}
          {count !== undefined && (
            <span className="figure ml-1.5 text-soft">{count.toLocaleString('en-GB')}</span>
          )}
        </NavLink>
      ))}
    </nav>
  );
}
