import { classNames } from '../ui/class-names.js';

/** The product name with its logo: an iron U on its bed. */
export function Mark({ className }: { className?: string }) {
  return (
    <span className={classNames('inline-flex items-center gap-2 font-semibold', className)}>
      <svg viewBox="0 0 20 20" className="size-[1.2em]" aria-hidden="true">
        <path d="M3 2h4v9a3 3 0 0 0 6 0V2h4v9a7 7 0 0 1-14 0z" className="fill-oxide" />
        <path d="M1 19h18" className="stroke-rule-strong" strokeWidth="1.6" />
      </svg>
      Uniferum
    </span>
  );
}
