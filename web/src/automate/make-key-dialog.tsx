import { ALL_RIGHTS, RIGHTS, type Right } from '@uniferum/core/access';
import { type UseFormReturn, useForm } from 'react-hook-form';
import { useMe } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { CopyButton } from '../ui/copy-button.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useKeyChanges } from './hooks.js';

interface KeyForm {
  name: string;
  rights: Right[];
  /** Separated by spaces or commas. */
  origins: string;
}

function readOrigins(text: string): string[] {
  return text.split(/[\s,]+/).filter((origin) => origin !== '');
}

/** An origin has a scheme and a host, and no path. */
function isOrigin(text: string): boolean {
  return /^https?:/.test(text) && URL.canParse(text) && new URL(text).origin === text;
}

/** Creates a key, and shows its secret once. */
export function MakeKeyDialog({ onClose }: { onClose: () => void }) {
  const { make } = useKeyChanges();
  const made = make.data;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={made ? made.name : 'New key'}
      description={
        made
          ? 'Copy the secret now. It is shown only once and is not stored.'
          : 'Grant only the rights that the script needs.'
      }
    >
      {made ? <Secret secret={made.secret} onDone={onClose} /> : <MakeKeyForm make={make} />}
    </Dialog>
  );
}

interface SecretProps {
  secret: string;
  onDone: () => void;
}

function Secret({ secret, onDone }: SecretProps) {
  useUnsavedChanges('The secret is shown only once. Copy it before you close.');
  return (
    <div className="flex flex-col gap-4">
      <p className="flex items-center gap-2 border border-rule-strong bg-surface px-3 py-2 font-mono text-sm">
        <span className="break-all">{secret}</span>
        <CopyButton text={secret} name="Copy the secret" />
      </p>
      <Button look="main" className="self-start" onClick={onDone}>
        Done
      </Button>
    </div>
  );
}

function MakeKeyForm({ make }: { make: ReturnType<typeof useKeyChanges>['make'] }) {
  const form = useForm<KeyForm>({
    defaultValues: { name: '', rights: ['library:read', 'library:write'], origins: '' },
  });
  const { register, handleSubmit, formState, watch } = form;
  const { origins, ...named } = watch();
  const given = readOrigins(origins);
  const body = { ...named, ...(given.length > 0 && { origins: given }) };
  useUnsavedChanges(formState.isDirty ? 'The key has not been created.' : null);
  return (
    <form onSubmit={handleSubmit(() => make.mutate(body))} className="flex flex-col gap-4">
      <Field label="Name" hint="What it is used for." error={formState.errors.name?.message}>
        {(props) => (
          <Input
            autoFocus
            placeholder="Nightly import"
            {...props}
            {...register('name', { required: 'Enter what it is used for.' })}
          />
        )}
      </Field>
      <RightsField form={form} />
      <Field
        label="Web pages that may use it"
        hint="Origins, such as https://www.skerry.example. Leave it empty for scripts on servers: everybody who sees a page can read the key there."
        error={formState.errors.origins?.message}
      >
        {(props) => (
          <Input
            {...props}
            {...register('origins', {
              validate: (text) => {
                const wrong = readOrigins(text).find((origin) => !isOrigin(origin));
                return (
                  wrong === undefined ||
                  `${wrong} isn't an origin. Enter one like https://www.skerry.example, without a path.`
                );
              },
            })}
          />
        )}
      </Field>
      <FormFoot
        error={make.error}
        code={{
          method: 'POST',
          path: '/keys',
          body,
          client: `const { secret } = await uniferum.keys.make(${JSON.stringify(body, null, 2)});`,
        }}
      >
        <Button look="main" type="submit" disabled={make.isPending}>
          Create key
        </Button>
      </FormFoot>
    </form>
  );
}

function RightsField({ form: { register, formState } }: { form: UseFormReturn<KeyForm> }) {
  const { data: me } = useMe();
  return (
    <fieldset className="grid gap-x-4 gap-y-1.5 sm:grid-cols-2">
      <legend className="mb-1 text-sm font-medium">Rights</legend>
      {ALL_RIGHTS.filter((right) => me?.rights.includes(right)).map((right) => (
        <Checkbox
          key={right}
          value={right}
          label={RIGHTS[right]}
          {...register('rights', {
            validate: (rights) => rights.length > 0 || 'Choose at least one right.',
          })}
        />
      ))}
      {formState.errors.rights && <p className="text-xs text-fault">{formState.errors.rights.message}</p>}
    </fieldset>
  );
}
