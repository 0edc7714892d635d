import { useForm } from 'react-hook-form';
import { useStores } from '../copies/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { FieldRow, TextField } from '../ui/text-field.js';
import { TextLink } from '../ui/text-link.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useSiteAssetChanges } from './site-asset-hooks.js';

interface AssetsForm {
  name: string;
  folder: string;
  url: string;
  store: string;
  rewritePages: boolean;
}

/** Adds a folder of style sheets, scripts and fonts. */
export function AddSiteAssetsDialog({ onClose }: { onClose: () => void }) {
  const { data: stores } = useStores();
  const open = stores?.filter(({ isHome, publicUrl }) => !isHome && publicUrl !== null);
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Add site assets"
      description="A folder of style sheets, scripts and fonts that a store is to serve. Nothing is stored before you place it."
      className="w-[36rem]"
    >
      {open?.length === 0 ? (
        <p className="text-sm">
          There is no store that anybody can read. <TextLink to="/connections/stores">Add one first</TextLink>
        </p>
      ) : (
        open && <AssetsFields stores={open.map(({ name }) => name)} onDone={onClose} />
      )}
    </Dialog>
  );
}

function AssetsFields({ stores, onDone }: { stores: readonly string[]; onDone: () => void }) {
  const { add } = useSiteAssetChanges();
  const form = useForm<AssetsForm>({
    defaultValues: { name: '', folder: '', url: '', store: stores[0] ?? '', rewritePages: false },
  });
  const { handleSubmit, register, formState, watch } = form;
  useUnsavedChanges(formState.isDirty ? 'The folder has not been added.' : null);
  const typed = watch();
  const save = handleSubmit(async (sent) => {
    await add.mutateAsync(sent);
    onDone();
  });
  return (
    <form onSubmit={(event) => void save(event).catch(() => {})} className="flex flex-col gap-4">
      <FieldRow>
        <TextField
          form={form}
          name="name"
          label="Name"
          placeholder="Look"
          needed="Enter a name."
          className="min-w-48 flex-1"
          autoFocus
        />
        <Field label="Store" className="min-w-40 flex-1">
          {(props) => (
            <Select {...props} {...register('store')}>
              {stores.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </Select>
          )}
        </Field>
      </FieldRow>
      <TextField
        form={form}
        name="folder"
        label="Folder"
        hint="Below a folder that UNIFERUM_SOURCE_DIRS names. Pages, programs and hidden files are left out."
        placeholder="/srv/site/assets"
        needed="Enter the path of the folder on the server."
        isCode
      />
      <TextField
        form={form}
        name="url"
        label="Address on the site"
        hint="Where the site serves this folder now."
        placeholder="https://www.example.com/assets/"
        needed="Enter the address."
        isCode
      />
      <Checkbox label="Rewrite pages to the store once it is placed" {...register('rewritePages')} />
      <FormFoot
        error={add.error}
        code={{
          ...{ method: 'POST', path: '/site-assets', body: typed },
          client: `await uniferum.siteAssets.add(${JSON.stringify(typed, null, 2)});`,
          command: commandLine(
            ...['site-assets', '--add', typed.name || 'Look', '--path', typed.folder, '--site', typed.url],
            ...['--store', typed.store, '--rewrite-pages', typed.rewritePages ? 'yes' : 'no'],
          ),
        }}
      >
        <Button look="main" type="submit" disabled={add.isPending}>
          Add folder
        </Button>
      </FormFoot>
    </form>
  );
}
