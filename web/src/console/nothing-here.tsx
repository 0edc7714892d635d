import { Link } from 'react-router';
import { EmptyPlace } from '../ui/notice.js';

/** For an unknown address. */
export function NothingHere() {
  return (
    <div className="p-8">
      <EmptyPlace
        title="Page not found"
        action={
          <Link to="/" className="text-oxide underline">
            Go to Flow
          </Link>
        }
      >
        Use the navigation above to find what you need.
      </EmptyPlace>
    </div>
  );
}
