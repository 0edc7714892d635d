import type { Kind } from '@uniferum/core/library';
import {
  ALTERNATIVE_FORMATS,
  type Ladder,
  OUTPUT_FORMATS,
  type OutputFormat,
  RECIPE_TIMES,
  type RecipeOutput,
  type RecipeTime,
} from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import { type Dispatch, useState } from 'react';
import { Checkbox, Field, Input, Select } from '../ui/field.js';
import { WHEN_WORDS } from './describe.js';
import type { Draft, DraftAction } from './draft.js';
import { NumberInput } from './number-input.js';

const RENDERED_KINDS: readonly Kind[] = ['image', 'vector', 'document', 'video', 'audio'];

/** To which files the recipe applies, and when its renditions are made. */
export function AppliesSettings({ draft, dispatch }: { draft: Draft; dispatch: Dispatch<DraftAction> }) {
  const [folders, setFolders] = useState(draft.folders.join(', '));
  const toggle = (kind: Kind) => {
    const kinds = draft.kinds.includes(kind)
      ? draft.kinds.filter((one) => one !== kind)
      : RENDERED_KINDS.filter((one) => one === kind || draft.kinds.includes(one));
    if (kinds.length > 0) dispatch({ do: 'set', values: { kinds } });
  };
  return (
    <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
      <fieldset>
        <legend className="text-sm font-medium">Kinds of files</legend>
        <div className="flex h-9 items-center gap-4">
          {RENDERED_KINDS.map((kind) => (
            <Checkbox
              key={kind}
              label={kind}
              checked={draft.kinds.includes(kind)}
              onChange={() => toggle(kind)}
            />
          ))}
        </div>
      </fieldset>
      <Field
        label="In these folders, and below"
        className="w-64"
        hint="Separated by commas; empty for every folder."
      >
        {(props) => (
          <Input
            {...props}
            className="font-mono"
            placeholder="/"
            value={folders}
            onChange={(event) => {
              setFolders(event.target.value);
              dispatch({ do: 'set', values: { folders: readFolders(event.target.value) } });
            }}
          />
        )}
      </Field>
      <Field label="Made" className="w-64">
        {(props) => (
          <Select
            {...props}
            value={draft.when}
            onChange={(event) => dispatch({ do: 'set', values: { when: event.target.value as RecipeTime } })}
          >
            {RECIPE_TIMES.map((when) => (
              <option key={when} value={when}>
                {WHEN_WORDS[when]}
              </option>
            ))}
          </Select>
        )}
      </Field>
    </div>
  );
}

function readFolders(text: string): string[] {
  return [
    ...new Set(
      text
        .split(',')
        .map((one) => one.trim())
        .filter((one) => one.startsWith('/')),
    ),
  ];
}

type Aim = 'quality' | 'maxBytes' | 'likeness';

/** What comes out: format, quality or target, widths, metadata. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one form, whose fields share its state
export function OutputSettings({
  draft,
  faults,
  dispatch,
}: {
  draft: Draft;
  faults: readonly FieldError[];
  dispatch: Dispatch<DraftAction>;
}) {
  const { output, ladder } = draft;
  const aim: Aim =
    output.maxBytes !== undefined ? 'maxBytes' : output.likeness !== undefined ? 'likeness' : 'quality';
  const faultAt = (field: string) => faults.find((one) => one.field === field)?.message;
  const set = (values: Partial<Record<keyof RecipeOutput, unknown>>) => {
    const next = Object.fromEntries(
      Object.entries({ ...output, ...values }).filter(([, value]) => value !== undefined),
    ) as unknown as RecipeOutput;
    dispatch({ do: 'set', values: { output: next } });
  };
  const chooseAim = (next: Aim) =>
    set({
      maxBytes: next === 'maxBytes' ? 60_000 : undefined,
      likeness: next === 'likeness' ? 0.98 : undefined,
      ...(next !== 'quality' && { quality: 95 }),
    });
  const also = output.also ?? [];
  return (
    <div className="flex flex-wrap items-start gap-x-5 gap-y-2">
      <Field label="Format" className="w-40" error={faultAt('output.format')}>
        {(props) => (
          <Select
            {...props}
            value={output.format}
            onChange={(event) => set({ format: event.target.value as OutputFormat })}
          >
            {OUTPUT_FORMATS.map((format) => (
              <option key={format} value={format}>
                {format === 'keep' ? 'same as the original' : format}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Field label="Aim" className="w-36">
        {(props) => (
          <Select {...props} value={aim} onChange={(event) => chooseAim(event.target.value as Aim)}>
            <option value="quality">a quality</option>
            <option value="maxBytes">a target size</option>
            <option value="likeness">a target likeness</option>
          </Select>
        )}
      </Field>
      {aim === 'quality' && (
        <Field label="Quality" className="w-20" error={faultAt('output.quality')}>
          {(props) => (
            <NumberInput {...props} value={output.quality} onValueChange={(quality) => set({ quality })} />
          )}
        </Field>
      )}
      {aim === 'maxBytes' && (
        <Field label="At most, kB" className="w-24" error={faultAt('output.maxBytes')}>
          {(props) => (
            <NumberInput
              {...props}
              value={output.maxBytes === undefined ? undefined : output.maxBytes / 1000}
              onValueChange={(kilobytes) =>
                set({ maxBytes: typeof kilobytes === 'number' ? Math.round(kilobytes * 1000) : 0 })
              }
            />
          )}
        </Field>
      )}
      {aim === 'likeness' && (
        <Field label="Likeness" className="w-24" hint="0.5 to 0.9999">
          {(props) => (
            <NumberInput {...props} value={output.likeness} onValueChange={(likeness) => set({ likeness })} />
          )}
        </Field>
      )}
      <fieldset>
        <legend className="text-sm font-medium">Beside it, for browsers that read it</legend>
        <div className="flex h-9 items-center gap-4">
          {ALTERNATIVE_FORMATS.map((format) => (
            <Checkbox
              key={format}
              label={format}
              checked={also.includes(format)}
              onChange={(event) => {
                const next = ALTERNATIVE_FORMATS.filter((one) =>
                  one === format ? event.target.checked : also.includes(one),
                );
                set({ also: next.length > 0 ? next : undefined });
              }}
            />
          ))}
        </div>
      </fieldset>
      <LadderSettings
        ladder={ladder}
        error={faults.find(({ field }) => field.startsWith('ladder'))?.message}
        dispatch={dispatch}
      />
      <Field label="Embedded metadata" className="w-48">
        {(props) => (
          <Select
            {...props}
            value={output.metadata}
            onChange={(event) => set({ metadata: event.target.value as RecipeOutput['metadata'] })}
          >
            <option value="none">none</option>
            <option value="rights">artist and copyright</option>
            <option value="all">all</option>
          </Select>
        )}
      </Field>
    </div>
  );
}

function LadderSettings({
  ladder,
  error,
  dispatch,
}: {
  ladder: Ladder | undefined;
  error: string | undefined;
  dispatch: Dispatch<DraftAction>;
}) {
  const given = ladder && 'widths' in ladder;
  const [widths, setWidths] = useState(given ? ladder.widths.join(', ') : '1600, 1000, 500');
  const set = (next: Ladder | undefined) =>
    dispatch(next ? { do: 'set', values: { ladder: next } } : { do: 'unset', key: 'ladder' });
  const choose = (value: string) => {
    if (value === 'none') set(undefined);
    else set(value === 'given' ? { widths: readWidths(widths) } : { from: 320, stepBytes: 20_000, most: 8 });
  };
  return (
    <>
      <Field label="Widths" className="w-36">
        {(props) => (
          <Select
            {...props}
            value={!ladder ? 'none' : given ? 'given' : 'computed'}
            onChange={(event) => choose(event.target.value)}
          >
            <option value="none">one</option>
            <option value="given">given ones</option>
            <option value="computed">by equal bytes</option>
          </Select>
        )}
      </Field>
      {given && (
        <Field label="Widths, px" className="w-44" error={error}>
          {(props) => (
            <Input
              {...props}
              className="font-mono"
              value={widths}
              onChange={(event) => {
                setWidths(event.target.value);
                set({ widths: readWidths(event.target.value) });
              }}
            />
          )}
        </Field>
      )}
      {ladder && !('widths' in ladder) && (
        <>
          <Field label="From, px" className="w-20" error={error}>
            {(props) => (
              <NumberInput
                {...props}
                value={ladder.from}
                onValueChange={(from) => set({ ...ladder, from: Number(from ?? 0) })}
              />
            )}
          </Field>
          <Field label="Steps of, kB" className="w-24">
            {(props) => (
              <NumberInput
                {...props}
                value={(ladder.stepBytes ?? 20_000) / 1000}
                onValueChange={(kilobytes) =>
                  set({ ...ladder, stepBytes: Math.round(Number(kilobytes ?? 0) * 1000) })
                }
              />
            )}
          </Field>
        </>
      )}
    </>
  );
}

function readWidths(text: string): number[] {
  return text
    .split(/[\s,]+/)
    .filter((one) => one !== '')
    .map(Number);
}
