import { LIBRARY_FIELDS } from '@uniferum/core/library';
import { CircleHelp } from 'lucide-react';
import { useComposition } from '../console/composition.js';
import { IconButton } from '../ui/button.js';
import { Popup } from '../ui/popup.js';

/** The filter syntax, field by field. */
export function FilterHelp() {
  const { filterFields } = useComposition();
  return (
    <Popup
      name="Filter syntax"
      className="w-[32rem] p-4 text-sm"
      button={
        <IconButton name="Filter syntax">
          <CircleHelp className="size-4" />
        </IconButton>
      }
    >
      <p className="mb-2">
        Adjacent conditions must all match. <code>or</code>, <code>not</code> and parentheses join them;
        quotes keep words together; <code>..</code> is a range.
      </p>
      <table className="w-full">
        <tbody>
          {[...LIBRARY_FIELDS, ...filterFields].map(({ name, hint, example }) => (
            <tr key={name} className="border-t border-rule">
              <td className="py-0.5 pr-4 font-mono text-xs">{example}</td>
              <td className="text-soft">{hint}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Popup>
  );
}
