import type { Editor } from '@tiptap/react';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input } from '../ui/field.js';
import { Shelf } from './shelf.js';

/** Links the selected text to an address, or to a file of the library, which the link follows. */
export function LinkDialog({ editor, onClose }: { editor: Editor; onClose: () => void }) {
  const [href, setHref] = useState((editor.getAttributes('link').href as string | undefined) ?? '');
  const done = (run: () => unknown) => {
    onClose();
    run();
  };
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Link"
      description="The selected text leads to an address, or to a file of the library."
    >
      <form
        className="flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          done(() => editor.chain().focus().extendMarkRange('link').setLink({ href }).run());
        }}
      >
        <Field label="Address" className="flex-1">
          {(props) => (
            <Input
              {...props}
              type="url"
              placeholder="https://"
              value={href}
              onChange={(event) => setHref(event.target.value)}
            />
          )}
        </Field>
        <Button look="main" type="submit" disabled={href === ''}>
          Link
        </Button>
        <Button
          look="quiet"
          type="button"
          onClick={() => done(() => editor.chain().focus().unsetLink().unsetMark('assetLink').run())}
        >
          Remove link
        </Button>
      </form>
      <Shelf
        onPlace={({ id }) =>
          done(() => editor.chain().focus().unsetLink().setMark('assetLink', { asset: id }).run())
        }
      />
    </Dialog>
  );
}
