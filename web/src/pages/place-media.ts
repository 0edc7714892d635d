import type { Editor } from '@tiptap/react';
import { NEW_MEDIA } from './media-attributes.js';

/** Places a file of the library at the cursor. */
export function placeAsset(editor: Editor, asset: { id: string }): void {
  editor
    .chain()
    .focus()
    .insertContent({ type: 'media', attrs: { ...NEW_MEDIA, asset: asset.id } })
    .run();
}
