import type { GivenPlacement } from '@uniferum/client';
import {
  type EffectivePlacement,
  type FolderPlacementAnswer,
  MAX_KEEP_DAYS,
  type StoreAnswer,
} from '@uniferum/core/copies';
import { type Folder, parentPath } from '@uniferum/core/library';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { ErrorNotice } from '../ui/notice.js';
import { FieldRow } from '../ui/text-field.js';
import { TextLink } from '../ui/text-link.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { usePlace, usePlacement, useStores } from './hooks.js';
import { PlacingPlan } from './placing-plan.js';

interface PlacementDialogProps {
  folder: Folder;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

/** Shows and changes which stores hold copies of a folder's files. */
export function PlacementDialog({ folder, isOpen, onOpenChange }: PlacementDialogProps) {
  const { data, error } = usePlacement(folder.id);
  const { data: stores, error: storesError } = useStores();
  const others = stores?.filter(({ isHome }) => !isHome);
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Where files of ${folder.path === '/' ? 'the library' : folder.path} are stored`}
      description="Files here and in subfolders are copied automatically, with their versions and renditions."
      className="w-[38rem]"
    >
      {(error ?? storesError) && <ErrorNotice error={error ?? storesError} />}
      {others?.length === 0 && (
        <p className="text-sm">
          There is no store besides the home store. <TextLink to="/connections/stores">Add a store</TextLink>
        </p>
      )}
      {data && others && others.length > 0 && (
        <Choice folder={folder} answer={data} stores={others} onDone={() => onOpenChange(false)} />
      )}
    </Dialog>
  );
}

interface ChoiceProps {
  folder: Folder;
  answer: FolderPlacementAnswer;
  stores: readonly StoreAnswer[];
  onDone: () => void;
}

type Keep = 'always' | 'days' | 'never';

interface PlacementForm {
  isOwn: boolean;
  names: readonly string[];
  serveFrom: string;
  rewritePages: boolean;
  keep: Keep;
  days: string;
}

function toForm({ own, effective }: FolderPlacementAnswer): PlacementForm {
  const { stores, serveFrom, keepLocal, rewritePages } = own ?? effective;
  return {
    ...{
      isOwn: own !== null,
      names: stores,
      serveFrom: serveFrom ?? '',
      keep: keepOf(keepLocal),
      rewritePages,
    },
    days: typeof keepLocal === 'number' ? String(keepLocal) : '30',
  };
}

function toPlacement(form: PlacementForm): GivenPlacement | null {
  const { isOwn, names, serveFrom, keep, days, rewritePages } = form;
  if (!isOwn) return null;
  const kept = { always: true, never: false, days: Number(days) }[keep];
  return {
    stores: [...names],
    serveFrom: names.includes(serveFrom) ? serveFrom : null,
    keepLocal: names.length === 0 ? true : kept,
    rewritePages: rewritePages && names.includes(serveFrom),
  };
}

function isFit({ keep, days }: PlacementForm): boolean {
  return keep !== 'days' || (/^[1-9]\d*$/.test(days) && Number(days) <= MAX_KEEP_DAYS);
}

function Choice({ folder, answer, stores, onDone }: ChoiceProps) {
  const mayChange = useRight('rules:write');
  const [form, setForm] = useState(() => toForm(answer));
  const set = (part: Partial<PlacementForm>) => setForm({ ...form, ...part });
  const placement = toPlacement(form);
  const isChanged = JSON.stringify(placement) !== JSON.stringify(answer.own && withoutFrom(answer.own));
  useUnsavedChanges(isChanged ? 'The placement has not been saved.' : null);
  const put = usePlace();
  const save = async () => {
    await put.mutateAsync({ folder: folder.id, placement });
    onDone();
  };
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        void save().catch(() => {});
      }}
    >
      <fieldset disabled={!mayChange} className="flex flex-col gap-4">
        <Checkbox
          label={folder.path === '/' ? 'Place copies of all files' : "Set this folder's own placement"}
          checked={form.isOwn}
          onChange={(event) => set({ isOwn: event.target.checked })}
        />
        {form.isOwn ? (
          <OwnFields form={form} stores={stores} set={set} />
        ) : (
          <p className="text-sm text-soft">{inheritedWords(folder, answer)}</p>
        )}
      </fieldset>
      {form.isOwn && form.names.length > 0 && isFit(form) && (
        <PlacingPlan folder={folder.id} placement={placement} />
      )}
      {mayChange ? (
        <FormFoot error={put.error} code={codeOf(folder, placement)}>
          <Button look="main" type="submit" disabled={put.isPending || !isFit(form) || !isChanged}>
            Save placement
          </Button>
        </FormFoot>
      ) : (
        <p className="text-sm text-soft">To change this you need the right “rules:write”.</p>
      )}
    </form>
  );
}

interface OwnFieldsProps {
  form: PlacementForm;
  stores: readonly StoreAnswer[];
  set: (part: Partial<PlacementForm>) => void;
}

function OwnFields({ form, stores, set }: OwnFieldsProps) {
  const { names, serveFrom, keep, days, rewritePages } = form;
  return (
    <>
      <fieldset className="flex flex-wrap gap-x-6 gap-y-2">
        <legend className="mb-1 text-sm font-medium">Copies in</legend>
        {stores.map(({ id, name }) => (
          <Checkbox
            key={id}
            label={name}
            checked={names.includes(name)}
            onChange={(event) =>
              set({ names: event.target.checked ? [...names, name] : names.filter((one) => one !== name) })
            }
          />
        ))}
      </fieldset>
      <FieldRow>
        <Field
          label="Visitors are served from"
          className="min-w-48 flex-1"
          hint="Until a store has a file, it is served from here."
        >
          {(props) => (
            <Select {...props} value={serveFrom} onChange={(event) => set({ serveFrom: event.target.value })}>
              <option value="">this server</option>
              {names.map((name) => (
                <option key={name} value={name}>
                  {name}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <KeepFields
          keep={keep}
          days={days}
          isFit={isFit(form)}
          onKeep={(value) => set({ keep: value })}
          onDays={(value) => set({ days: value })}
        />
      </FieldRow>
      {names.includes(serveFrom) && (
        <div className="flex flex-col gap-1">
          <Checkbox
            label={`Rewrite pages to addresses in ${serveFrom}`}
            checked={rewritePages}
            onChange={(event) => set({ rewritePages: event.target.checked })}
          />
          <p className="pl-6 text-xs text-soft">
            In writable page sources, as files arrive there. Clear it to restore the addresses of this server.
          </p>
        </div>
      )}
    </>
  );
}

interface KeepFieldsProps {
  keep: Keep;
  days: string;
  isFit: boolean;
  onKeep: (keep: Keep) => void;
  onDays: (days: string) => void;
}

function KeepFields({ keep, days, isFit, onKeep, onDays }: KeepFieldsProps) {
  return (
    <>
      <Field
        label="Keep them here"
        className="min-w-40 flex-1"
        hint={keep === 'always' ? undefined : 'A file comes back when it is needed here.'}
      >
        {(props) => (
          <Select {...props} value={keep} onChange={(event) => onKeep(event.target.value as Keep)}>
            <option value="always">always</option>
            <option value="days">for some days</option>
            <option value="never">until they are copied</option>
          </Select>
        )}
      </Field>
      {keep === 'days' && (
        <Field label="Days" className="w-20" error={isFit ? undefined : `1 to ${MAX_KEEP_DAYS}`}>
          {(props) => (
            <Input
              {...props}
              inputMode="numeric"
              value={days}
              onChange={(event) => onDays(event.target.value)}
            />
          )}
        </Field>
      )}
    </>
  );
}

function keepOf(keepLocal: boolean | number): Keep {
  if (typeof keepLocal === 'number') return 'days';
  return keepLocal ? 'always' : 'never';
}

function withoutFrom({ stores, serveFrom, keepLocal, rewritePages }: GivenPlacement): GivenPlacement {
  return {
    ...{ stores, serveFrom: serveFrom ?? null, keepLocal: keepLocal ?? true },
    rewritePages: rewritePages ?? false,
  };
}

/** What holds above, as far as it is known here. */
function inheritedWords(folder: Folder, { own, effective }: FolderPlacementAnswer): string {
  if (own !== null)
    return folder.path === '/' ? 'Files stay in the home store.' : `As set by ${parentPath(folder.path)}.`;
  return `${placementWords(effective)}${effective.from === null ? '' : `, set by ${effective.from}`}.`;
}

export function placementWords({ stores, serveFrom, rewritePages }: EffectivePlacement): string {
  if (stores.length === 0) return 'Files stay in the home store';
  const served = serveFrom === null ? '' : `, served from ${serveFrom}`;
  return `Copies in ${stores.join(', ')}${served}${rewritePages ? ', pages rewritten' : ''}`;
}

function codeOf({ id, path }: Folder, placement: GivenPlacement | null) {
  const { stores = [], serveFrom = null, keepLocal = true, rewritePages = false } = placement ?? {};
  const kept = keepLocal === true ? 'yes' : keepLocal === false ? 'no' : String(keepLocal);
  return {
    ...{ method: 'PUT' as const, path: `/folders/${id}/placement`, body: placement },
    client: `await uniferum.copies.place('${id}', ${JSON.stringify(placement)});`,
    command: commandLine(
      ...['placement', path],
      ...(placement === null
        ? ['--inherit']
        : [
            ...(stores.length > 0 ? ['--in', ...stores] : []),
            ...(serveFrom === null ? [] : ['--serve-from', serveFrom]),
            ...(rewritePages ? ['--rewrite-pages'] : []),
            ...['--keep-local', kept],
          ]),
    ),
  };
}
