import {
  ALTERNATIVE_FORMATS,
  OUTPUT_FORMATS,
  type OutputFormat,
  type RecipeOutput,
} from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import type { Dispatch } from 'react';
import { Checkbox, Field, Select } from '../ui/field.js';
import type { Draft, DraftAction } from './draft.js';
import { LadderSettings } from './ladder-settings.js';
import { NumberInput } from './number-input.js';

interface OutputSettingsProps {
  draft: Draft;
  faults: readonly FieldError[];
  dispatch: Dispatch<DraftAction>;
}

/** The output of a recipe: format, quality or target, widths, metadata, colours. */
export function OutputSettings({ draft, faults, dispatch }: OutputSettingsProps) {
  const { output, ladder } = draft;
  const faultAt = (field: string) => faults.find((one) => one.field === field)?.message;
  const set = (values: OutputChange) => {
    const next = Object.fromEntries(
      Object.entries({ ...output, ...values }).filter(([, value]) => value !== undefined),
    ) as unknown as RecipeOutput;
    dispatch({ do: 'set', values: { output: next } });
  };
  const part = { output, faultAt, set };
  return (
    <div className="flex flex-wrap items-start gap-x-5 gap-y-2">
      <Format {...part} />
      <AimSetting {...part} />
      <AimValue {...part} />
      <Alternatives {...part} />
      <LadderSettings
        ladder={ladder}
        error={faults.find(({ field }) => field.startsWith('ladder'))?.message}
        dispatch={dispatch}
      />
      <Metadata {...part} />
      <Colours {...part} />
    </div>
  );
}

/** New output values; `undefined` removes one. */
type OutputChange = Partial<Record<keyof RecipeOutput, unknown>>;

interface PartProps {
  output: RecipeOutput;
  faultAt: (field: string) => string | undefined;
  set: (values: OutputChange) => void;
}

function Format({ output, faultAt, set }: PartProps) {
  return (
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
  );
}

type Aim = 'quality' | 'maxBytes' | 'likeness';

function aimOf({ maxBytes, likeness }: RecipeOutput): Aim {
  if (maxBytes !== undefined) return 'maxBytes';
  return likeness === undefined ? 'quality' : 'likeness';
}

function AimSetting({ output, set }: PartProps) {
  const choose = (next: Aim) =>
    set({
      maxBytes: next === 'maxBytes' ? 60_000 : undefined,
      likeness: next === 'likeness' ? 0.98 : undefined,
      ...(next !== 'quality' && { quality: 95 }),
    });
  return (
    <Field label="Target" className="w-36">
      {(props) => (
        <Select {...props} value={aimOf(output)} onChange={(event) => choose(event.target.value as Aim)}>
          <option value="quality">a quality</option>
          <option value="maxBytes">a target size</option>
          <option value="likeness">a target likeness</option>
        </Select>
      )}
    </Field>
  );
}

function AimValue({ output, faultAt, set }: PartProps) {
  const aim = aimOf(output);
  if (aim === 'quality')
    return (
      <Field label="Quality" className="w-20" error={faultAt('output.quality')}>
        {(props) => (
          <NumberInput {...props} value={output.quality} onValueChange={(quality) => set({ quality })} />
        )}
      </Field>
    );
  if (aim === 'likeness')
    return (
      <Field label="Likeness" className="w-24" hint="0.5 to 0.9999">
        {(props) => (
          <NumberInput {...props} value={output.likeness} onValueChange={(likeness) => set({ likeness })} />
        )}
      </Field>
    );
  return <MostBytes output={output} faultAt={faultAt} set={set} />;
}

function MostBytes({ output: { maxBytes }, faultAt, set }: PartProps) {
  return (
    <Field label="At most, kB" className="w-24" error={faultAt('output.maxBytes')}>
      {(props) => (
        <NumberInput
          {...props}
          value={maxBytes === undefined ? undefined : maxBytes / 1000}
          onValueChange={(kilobytes) =>
            set({ maxBytes: typeof kilobytes === 'number' ? Math.round(kilobytes * 1000) : 0 })
          }
        />
      )}
    </Field>
  );
}

function Alternatives({ output: { also = [] }, set }: PartProps) {
  const tick = (format: (typeof ALTERNATIVE_FORMATS)[number], isTicked: boolean) => {
    const next = ALTERNATIVE_FORMATS.filter((one) => (one === format ? isTicked : also.includes(one)));
    set({ also: next.length > 0 ? next : undefined });
  };
  return (
    <fieldset>
      <legend className="text-sm font-medium">Beside it, for browsers that read it</legend>
      <div className="flex h-9 items-center gap-4">
        {ALTERNATIVE_FORMATS.map((format) => (
          <Checkbox
            key={format}
            label={format}
            checked={also.includes(format)}
            onChange={(event) => tick(format, event.target.checked)}
          />
        ))}
      </div>
    </fieldset>
  );
}

function Metadata({ output, set }: PartProps) {
  return (
    <Field label="Embedded metadata" className="w-60">
      {(props) => (
        <Select
          {...props}
          value={output.metadata}
          onChange={(event) => set({ metadata: event.target.value as RecipeOutput['metadata'] })}
        >
          <option value="none">none</option>
          <option value="rights">rights: creator, credit, terms</option>
          <option value="all">all, without previews</option>
        </Select>
      )}
    </Field>
  );
}

function Colours({ output, set }: PartProps) {
  return (
    <Field label="Colours" className="w-48">
      {(props) => (
        <Select
          {...props}
          value={output.colour ?? 'srgb'}
          onChange={(event) => set({ colour: event.target.value === 'keep' ? 'keep' : undefined })}
        >
          <option value="srgb">sRGB, for every screen</option>
          <option value="keep">as in the file, with profile</option>
        </Select>
      )}
    </Field>
  );
}
