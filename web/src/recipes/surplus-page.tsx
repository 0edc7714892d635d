import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { Button } from '../ui/button.js';
import { Select } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';
import { useAddressValue } from '../ui/use-address-value.js';
import { useSurplus } from './hooks.js';
import { RecipesViews } from './recipes-views.js';
import { RemovalDialog } from './removal-dialog.js';
import { keyOfSurplus, surplusRequest } from './surplus.js';
import { SurplusTable } from './surplus-table.js';

/** Files that no recipe needs: their latest requests, and a way to delete them without breaking pages. */
export function SurplusPage() {
  const list = useSurplusList();
  const [isRehearsing, setRehearsing] = useState(false);
  return (
    <Page
      title="Recipes"
      note={
        list.isRead &&
        `${formatNumber(list.items.length)} of ${formatCount(list.total, 'surplus file')}, ${formatBytes(list.bytes)}`
      }
      actions={
        <RehearseButton total={list.total} ticked={list.chosen.length} onPress={() => setRehearsing(true)} />
      }
    >
      <RecipesViews />
      <AskedBar days={list.days} onChange={list.setDays} />
      {list.error && <ErrorNotice error={list.error} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        {list.isRead && list.items.length === 0 && (
          <NothingSurplus isFiltered={list.days !== null} onShowAll={() => list.setDays(null)} />
        )}
        {list.items.length > 0 && (
          <SurplusTable items={list.items} ticked={list.ticked} onToggle={list.toggle} />
        )}
        {list.more && (
          <Button look="quiet" className="m-3" onClick={list.more}>
            Show more
          </Button>
        )}
      </div>
      {isRehearsing && (
        <RemovalDialog
          request={surplusRequest(list.chosen, list.days)}
          onClose={() => setRehearsing(false)}
        />
      )}
    </Page>
  );
}

/** The days without a request that can be filtered for. */
const DAYS = [0, 7, 30, 90] as const;

/** The loaded part of the list and its selection; changing the filter clears the selection. */
function useSurplusList() {
  const [asked, setAsked] = useAddressValue('unrequested');
  const days = DAYS.find((one) => String(one) === asked) ?? null;
  const [ticked, setTicked] = useState<ReadonlySet<string>>(new Set());
  const { data, error, hasNextPage, fetchNextPage } = useSurplus(days);
  const items = data?.pages.flatMap((page) => page.items) ?? [];
  const { total = 0, bytes = 0 } = data?.pages[0] ?? {};
  const toggle = (key: string) =>
    setTicked((before) => {
      const next = new Set(before);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  return {
    isRead: data !== undefined,
    error,
    items,
    total,
    bytes,
    days,
    setDays: (next: number | null) => {
      setAsked(next === null ? null : String(next));
      setTicked(new Set());
    },
    ticked,
    toggle,
    chosen: items.filter((item) => ticked.has(keyOfSurplus(item))),
    more: hasNextPage && (() => void fetchNextPage()),
  };
}

interface RehearseButtonProps {
  total: number;
  ticked: number;
  onPress: () => void;
}

function RehearseButton({ total, ticked, onPress }: RehearseButtonProps) {
  const mayWrite = useRight('recipes:write');
  if (total === 0 || !mayWrite) return null;
  return (
    <Button look="main" onClick={onPress}>
      Rehearse deleting {ticked > 0 ? formatCount(ticked, 'file') : `all ${formatNumber(total)}`}
    </Button>
  );
}

function AskedBar({ days, onChange }: { days: number | null; onChange: (days: number | null) => void }) {
  return (
    <div className="flex h-11 items-center gap-4 border-b border-rule px-6 text-sm">
      <label htmlFor="asked" className="flex items-center gap-2">
        Requested
        <Select
          id="asked"
          className="w-56"
          value={days ?? ''}
          onChange={(event) => onChange(event.target.value === '' ? null : Number(event.target.value))}
        >
          <option value="">any</option>
          {DAYS.map((one) => (
            <option key={one} value={one}>
              {one === 0 ? 'not requested at present' : `not requested for ${one} days`}
            </option>
          ))}
        </Select>
      </label>
      <span className="text-soft">
        Deleted addresses redirect to the nearest rendition. You can undo this for 30 days.
      </span>
    </div>
  );
}

interface NothingSurplusProps {
  isFiltered: boolean;
  onShowAll: () => void;
}

function NothingSurplus({ isFiltered, onShowAll }: NothingSurplusProps) {
  return (
    <div className="p-6">
      <EmptyPlace
        title={isFiltered ? 'No surplus files match' : 'No surplus files'}
        action={
          isFiltered ? (
            <Button onClick={onShowAll}>Show all surplus files</Button>
          ) : (
            <TextLink to="/recipes">Edit a recipe</TextLink>
          )
        }
      >
        When a recipe is deleted or changes its sizes, the files it made before are listed here with their
        last request. Their addresses keep working until you delete them.
      </EmptyPlace>
    </div>
  );
}
