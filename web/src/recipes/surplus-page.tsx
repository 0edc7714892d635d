import type { SurplusRendition, SurplusRequest } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { useRecipeChanges, useRemovalRehearsal, useSurplus } from './hooks.js';
import { RecipesViews } from './recipes-views.js';

const WHY = {
  'recipe-removed': 'its recipe was taken away',
  'size-removed': 'its recipe makes no such size any more',
  'does-not-apply': 'its recipe applies elsewhere now',
} as const;

const keyOf = ({ asset, recipe, variant }: SurplusRendition) => `${asset.id} ${recipe} ${variant ?? ''}`;

/** Files that no recipe asks for: who still does, and the way to be rid of them without breaking a page. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one list with its actions
export function SurplusPage() {
  const [days, setDays] = useState<number | null>(null);
  const [ticked, setTicked] = useState<ReadonlySet<string>>(new Set());
  const { data, error, hasNextPage, fetchNextPage } = useSurplus(days);
  const [isRehearsing, setRehearsing] = useState(false);
  const mayWrite = useRight('recipes:write');
  const items = data?.pages.flatMap((page) => page.items) ?? [];
  const { total = 0, bytes = 0 } = data?.pages[0] ?? {};
  const chosen = items.filter((item) => ticked.has(keyOf(item)));
  const isSome = chosen.length > 0;
  const request = isSome
    ? { keys: chosen.map(({ asset, recipe, variant }) => ({ asset: asset.id, recipe, variant })) }
    : days === null
      ? {}
      : { unaskedDays: days };
  const toggle = (key: string) =>
    setTicked((before) => {
      const next = new Set(before);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  return (
    <Page
      title="Recipes"
      note={
        data &&
        `${formatNumber(items.length)} of ${formatCount(total, 'surplus file')}, ${formatBytes(bytes)}`
      }
      actions={
        total > 0 &&
        mayWrite && (
          <Button look="main" onClick={() => setRehearsing(true)}>
            Rehearse removing {isSome ? formatCount(chosen.length, 'file') : `all ${formatNumber(total)}`}
          </Button>
        )
      }
    >
      <RecipesViews />
      <div className="flex h-11 items-center gap-4 border-b border-rule px-6 text-sm">
        <label htmlFor="asked" className="flex items-center gap-2">
          Show those
          <Select
            id="asked"
            className="w-56"
            value={days ?? ''}
            onChange={(event) => {
              setDays(event.target.value === '' ? null : Number(event.target.value));
              setTicked(new Set());
            }}
          >
            <option value="">whoever asks for them</option>
            <option value="0">that nobody asks for now</option>
            <option value="7">unasked for 7 days</option>
            <option value="30">unasked for 30 days</option>
            <option value="90">unasked for 90 days</option>
          </Select>
        </label>
        <span className="text-soft">
          The address of what you remove leads on to the nearest rendition. It can be taken back for thirty
          days.
        </span>
      </div>
      {error && <ErrorNotice error={error} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        {data && items.length === 0 && (
          <div className="p-6">
            <EmptyPlace title="Nothing is surplus">
              When a recipe is taken away, or makes other sizes, what it made before is listed here with its
              last request. Until it is removed, its address goes on showing it.
            </EmptyPlace>
          </div>
        )}
        {items.length > 0 && (
          <table className="w-full text-sm">
            <thead className="sticky top-0 z-10 bg-ground text-left text-soft">
              <tr className="[&>th]:border-b [&>th]:border-rule [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-normal [&>th:first-child]:pl-6 [&>th:last-child]:pr-6">
                <th>File</th>
                <th>Address</th>
                <th>Why</th>
                <th className="text-right">Pixels</th>
                <th className="text-right">Size</th>
                <th className="text-right">Requests</th>
                <th>Last one</th>
                <th>Uses</th>
              </tr>
            </thead>
            <tbody>
              {items.map((item) => (
                <tr
                  key={keyOf(item)}
                  className="[&>td]:border-b [&>td]:border-rule [&>td]:px-3 [&>td]:py-1 [&>td:first-child]:pl-6 [&>td:last-child]:pr-6"
                >
                  <td className="max-w-56">
                    <Checkbox
                      label={item.asset.name}
                      className="max-w-full truncate"
                      checked={ticked.has(keyOf(item))}
                      onChange={() => toggle(keyOf(item))}
                    />
                  </td>
                  <td className="max-w-96">
                    <a
                      href={item.url}
                      target="_blank"
                      rel="noreferrer"
                      className="block truncate font-mono text-xs text-soft hover:text-oxide hover:underline"
                    >
                      {new URL(item.url).pathname}
                    </a>
                  </td>
                  <td className="text-soft">{WHY[item.why]}</td>
                  <td className="figure text-right">
                    {item.width} × {item.height}
                  </td>
                  <td className="figure text-right">{formatBytes(item.bytes)}</td>
                  <td className="figure text-right">{formatNumber(item.requests)}</td>
                  <td>
                    {item.lastRequestAt ? (
                      formatAgo(item.lastRequestAt)
                    ) : (
                      <span className="text-soft">never</span>
                    )}
                  </td>
                  <td className="text-soft">{item.uses ?? 'not known'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {hasNextPage && (
          <Button look="quiet" className="m-3" onClick={() => void fetchNextPage()}>
            Show more
          </Button>
        )}
      </div>
      {isRehearsing && <RemovalDialog request={request} onClose={() => setRehearsing(false)} />}
    </Page>
  );
}

/** What would be removed and where each address would lead; then it can be carried out. */
function RemovalDialog({ request, onClose }: { request: SurplusRequest; onClose: () => void }) {
  const { data: plan, error } = useRemovalRehearsal(request);
  const { removeSurplus } = useRecipeChanges();
  const navigate = useNavigate();
  const carryOut = async () => {
    const { run } = await removeSurplus.mutateAsync(request);
    void navigate(`/runs?run=${run.id}`);
  };
  const isFiltered = request.keys === undefined;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Rehearse a removal"
      description="Each address leads on to the nearest rendition that is left. For thirty days the run can be taken back."
      className="w-[52rem]"
    >
      <div className="flex flex-col gap-4">
        <div
          className="h-64 overflow-y-auto border-y border-rule"
          tabIndex={0}
          role="region"
          aria-label="What would be removed"
        >
          <ul>
            {plan?.items.map((item) => (
              <li
                key={keyOf(item)}
                className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_5rem] gap-4 border-b border-rule py-1 font-mono text-xs"
              >
                <span className="truncate">{decodeURI(new URL(item.url).pathname)}</span>
                <span className="truncate text-soft">→ {decodeURI(new URL(item.leadsTo).pathname)}</span>
                <span className="text-right">{formatBytes(item.bytes)}</span>
              </li>
            ))}
          </ul>
        </div>
        <p className="h-5 text-sm text-soft">
          {plan &&
            `${formatNumber(plan.items.length)} of ${formatCount(plan.totals.items, 'file')} listed; ${formatBytes(plan.totals.bytes)} would be free after thirty days.`}
        </p>
        <FormFoot
          error={error ?? removeSurplus.error}
          code={{
            method: 'POST',
            path: '/renditions/surplus/remove?rehearse=true',
            body: request,
            client: `const { plan } = await uniferum.renditions.rehearseRemoval(${JSON.stringify(request)});\nconst { run } = await uniferum.renditions.removeSurplus(${JSON.stringify(request)});\n// Within thirty days: await uniferum.runs.undo(run.id);`,
            ...(isFiltered && {
              command: commandLine(
                'surplus',
                ...(request.unaskedDays === undefined ? [] : ['--unasked', String(request.unaskedDays)]),
                '--remove',
              ),
            }),
          }}
        >
          <Button
            look="main"
            disabled={!plan || plan.totals.items === 0 || removeSurplus.isPending}
            onClick={() => void carryOut().catch(() => {})}
          >
            {plan ? `Remove ${formatCount(plan.totals.items, 'file')}` : 'Rehearsing …'}
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}
