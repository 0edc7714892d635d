import { EmptyPlace } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';

/** For an unknown address. */
export function NothingHere() {
  return (
    <div className="p-8">
      <EmptyPlace title="Page not found" action={<TextLink to="/">Go to Flow</TextLink>}>
        Use the navigation above to find what you need.
      </EmptyPlace>
    </div>
  );
}
