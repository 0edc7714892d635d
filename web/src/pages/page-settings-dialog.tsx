import type { SitePageAnswer } from '@uniferum/core/pages';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { usePageChanges } from './page-hooks.js';
import { ParentField, TypeField } from './page-place-fields.js';
import type { PageDraft } from './use-page-draft.js';

/** Where a page is in the site, of which type it is, and its deletion. */
export function PageSettingsDialog({ draft, onClose }: { draft: PageDraft; onClose: () => void }) {
  const { page, saveNow, isSaving, error } = draft;
  const [slug, setSlug] = useState(page.slug);
  const [parent, setParent] = useState(page.parent ?? '');
  const [type, setType] = useState(page.type);
  const [inNavigation, setInNavigation] = useState(page.inNavigation);
  const patch = { slug, parent: parent === '' ? null : parent, type, inNavigation };
  const save = async () => {
    if (await saveNow(patch)) onClose();
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Page settings"
      description="Changing the slug or the parent also changes the paths of its subpages."
    >
      <form
        className="flex flex-col gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="Slug" hint="The last part of the path: letters, digits and hyphens.">
          {(props) => (
            <Input
              {...props}
              className="font-mono"
              maxLength={120}
              value={slug}
              onChange={(event) => setSlug(event.target.value)}
            />
          )}
        </Field>
        <ParentField page={page} value={parent} onChange={setParent} />
        <TypeField value={type} onChange={setType} />
        <Checkbox
          label="Show in the site's navigation"
          checked={inNavigation}
          onChange={(event) => setInNavigation(event.target.checked)}
        />
        <FormFoot
          error={error}
          code={{
            method: 'PATCH',
            path: `/pages/${page.id}`,
            body: patch,
            client: `await uniferum.pages.change('${page.id}', ${JSON.stringify(patch)});`,
          }}
        >
          <DeletePage page={page} />
          <Button look="main" type="submit" disabled={isSaving}>
            Save settings
          </Button>
        </FormFoot>
      </form>
    </Dialog>
  );
}

function DeletePage({ page }: { page: SitePageAnswer }) {
  const [isAsking, setAsking] = useState(false);
  const { remove } = usePageChanges();
  const navigate = useNavigate();
  if (!isAsking)
    return (
      <Button look="quiet" type="button" onClick={() => setAsking(true)}>
        Delete page
      </Button>
    );
  return (
    <>
      {remove.error && (
        <span role="alert" className="text-sm text-fault">
          {remove.error.message}
        </span>
      )}
      <Button
        look="fault"
        type="button"
        disabled={remove.isPending}
        onClick={() => remove.mutate(page.id, { onSuccess: () => void navigate('/pages') })}
      >
        Delete with all revisions
      </Button>
      <Button look="quiet" type="button" onClick={() => setAsking(false)}>
        Keep
      </Button>
    </>
  );
}
