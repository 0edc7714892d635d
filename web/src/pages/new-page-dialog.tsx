import { useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { usePageChanges } from './page-hooks.js';
import { ParentField, TypeField } from './page-place-fields.js';

/** Creates a draft, and opens it for writing. */
export function NewPageDialog({ onClose }: { onClose: () => void }) {
  const { add } = usePageChanges();
  const navigate = useNavigate();
  const [title, setTitle] = useState('');
  const [type, setType] = useState('page');
  const [parent, setParent] = useState('');
  const request = { title: title.trim(), type, ...(parent !== '' && { parent }) };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="New page"
      description="It starts as a draft. The site doesn't show drafts."
      unsaved={title === '' ? null : 'The page has not been created.'}
    >
      <form
        className="flex flex-col gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate(request, { onSuccess: ({ id }) => void navigate(`/pages/edit/${id}`) });
        }}
      >
        <Field label="Title">
          {(props) => (
            <Input
              {...props}
              autoFocus
              maxLength={300}
              value={title}
              onChange={(event) => setTitle(event.target.value)}
            />
          )}
        </Field>
        <TypeField value={type} onChange={setType} />
        <ParentField page={null} value={parent} onChange={setParent} />
        <FormFoot
          error={add.error}
          code={{
            method: 'POST',
            path: '/pages',
            body: request,
            client: `await uniferum.pages.add(${JSON.stringify(request)});`,
          }}
        >
          <Button look="main" type="submit" disabled={request.title === '' || add.isPending}>
            Create draft
          </Button>
        </FormFoot>
      </form>
    </Dialog>
  );
}
