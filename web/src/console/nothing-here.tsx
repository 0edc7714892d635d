import { Link } from 'react-router';
import { EmptyPlace } from '../ui/notice.js';

/** For an unknown address. */
export function NothingHere() {
  return (
    <div className="p-8">
      <EmptyPlace
        title="There is nothing at this address"
        action={
          <Link to="/" className="text-oxide underline">
            Go to the flow
          </Link>
        }
      >
        The stations above lead to everything that there is.
      </EmptyPlace>
    </div>
  );
}
