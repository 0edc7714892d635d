import type { RewritePlan } from '@uniferum/client';
import type { ShownEdit } from '@uniferum/core/pages';
import { ScrollRegion } from '../ui/scroll-region.js';

/** What a rewrite would change, by document. */
export function RewriteDiff({ items }: { items: RewritePlan['items'] }) {
  return (
    <ScrollRegion label="What would change" className="h-72 border-y border-rule">
      <ul>
        {items.map(({ source, document, edits, diff }) => (
          <li key={`${source}/${document}`} className="border-b border-rule py-2">
            <h3 className="truncate font-mono text-xs font-semibold" dir="auto">
              {document}
            </h3>
            {diff.map((edit) => (
              <ChangedLine key={`${edit.line} ${edit.lead}`} edit={edit} />
            ))}
            {edits > diff.length && <p className="pl-12 text-xs text-soft">and {edits - diff.length} more</p>}
          </li>
        ))}
      </ul>
    </ScrollRegion>
  );
}

function ChangedLine({ edit: { line, lead, before, after, trail } }: { edit: ShownEdit }) {
  return (
    <p className="grid grid-cols-[3rem_minmax(0,1fr)] font-mono text-xs leading-5">
      <span className="figure pr-3 text-right text-soft">{line}</span>
      <span className="break-all text-soft">
        {lead}
        <del className="text-fault">{before}</del> <ins className="text-ink decoration-oxide">{after}</ins>
        {trail}
      </span>
    </p>
  );
}
