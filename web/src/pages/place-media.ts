import type { Editor } from '@tiptap/react';
import { NEW_MEDIA } from './media-attributes.js';

/** Places a file of the library at the cursor, which goes on behind it: the next one can be placed at once. */
export function placeAsset(editor: Editor, asset: { id: string }): void {
  editor
    .chain()
    .focus()
    .insertContent({ type: 'media', attrs: { ...NEW_MEDIA, asset: asset.id } })
    .run();
  editor.commands.setTextSelection(editor.state.selection.to + 1);
}
