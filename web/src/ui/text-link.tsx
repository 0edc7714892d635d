import { Link, type LinkProps } from 'react-router';

/** A link in running text, and the action of an empty state that leads to another place. */
export function TextLink({ className = '', ...props }: LinkProps) {
  return <Link {...props} className={`text-oxide underline ${className}`} />;
}
