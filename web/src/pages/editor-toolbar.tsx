import { type Editor, useEditorState } from '@tiptap/react';
import {
  Bold,
  Heading2,
  Heading3,
  ImagePlus,
  Images,
  Italic,
  Link2,
  List,
  ListOrdered,
  type LucideIcon,
  Quote,
  Redo2,
  Undo2,
} from 'lucide-react';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { GalleryDialog } from './gallery-dialog.js';
import { LinkDialog } from './link-dialog.js';
import { PickerDialog } from './picker-dialog.js';

interface Tool {
  name: string;
  Icon: LucideIcon;
  /** The name of the node or mark, and its attributes, when it can be on. */
  active?: [name: string, attributes?: object];
  run: (editor: Editor) => unknown;
}

const TOOLS: Tool[] = [
  { name: 'Undo', Icon: Undo2, run: (editor) => editor.chain().focus().undo().run() },
  { name: 'Redo', Icon: Redo2, run: (editor) => editor.chain().focus().redo().run() },
  {
    name: 'Heading',
    Icon: Heading2,
    active: ['heading', { level: 2 }],
    run: (editor) => editor.chain().focus().toggleHeading({ level: 2 }).run(),
  },
  {
    name: 'Subheading',
    Icon: Heading3,
    active: ['heading', { level: 3 }],
    run: (editor) => editor.chain().focus().toggleHeading({ level: 3 }).run(),
  },
  {
    name: 'Bold',
    Icon: Bold,
    active: ['bold'],
    run: (editor) => editor.chain().focus().toggleBold().run(),
  },
  {
    name: 'Italic',
    Icon: Italic,
    active: ['italic'],
    run: (editor) => editor.chain().focus().toggleItalic().run(),
  },
  {
    name: 'List',
    Icon: List,
    active: ['bulletList'],
    run: (editor) => editor.chain().focus().toggleBulletList().run(),
  },
  {
    name: 'Numbered list',
    Icon: ListOrdered,
    active: ['orderedList'],
    run: (editor) => editor.chain().focus().toggleOrderedList().run(),
  },
  {
    name: 'Quote',
    Icon: Quote,
    active: ['blockquote'],
    run: (editor) => editor.chain().focus().toggleBlockquote().run(),
  },
];

/** What can be done with the text at the cursor, and what can be placed there. */
export function EditorToolbar({ editor }: { editor: Editor }) {
  const [open, setOpen] = useState<'media' | 'gallery' | 'link' | null>(null);
  const active = useEditorState({
    editor,
    selector: ({ editor: one }) =>
      TOOLS.map(({ active: is }) => is !== undefined && one.isActive(is[0], is[1])).join(),
  }).split(',');
  return (
    <div
      role="toolbar"
      aria-label="Text"
      className="sticky top-0 z-10 flex flex-wrap items-center gap-1 border-b border-rule bg-surface px-4 py-1.5"
    >
      {TOOLS.map(({ name, Icon, active: is, run }, index) => (
        <button
          key={name}
          type="button"
          aria-label={name}
          title={name}
          {...(is && { 'aria-pressed': active[index] === 'true' })}
          onClick={() => run(editor)}
          className={classNames(
            'inline-flex size-8 items-center justify-center rounded-[3px] hover:bg-oxide-wash',
            active[index] === 'true' && 'bg-oxide-wash text-oxide',
          )}
        >
          <Icon className="size-4" aria-hidden="true" />
        </button>
      ))}
      <span className="mx-1 h-5 w-px bg-rule" aria-hidden="true" />
      <Button look="quiet" onClick={() => setOpen('link')}>
        <Link2 className="size-4" aria-hidden="true" /> Link
      </Button>
      <Button look="quiet" onClick={() => setOpen('media')}>
        <ImagePlus className="size-4" aria-hidden="true" /> Media
      </Button>
      <Button look="quiet" onClick={() => setOpen('gallery')}>
        <Images className="size-4" aria-hidden="true" /> Gallery
      </Button>
      {open === 'media' && <PickerDialog editor={editor} onClose={() => setOpen(null)} />}
      {open === 'gallery' && <GalleryDialog editor={editor} onClose={() => setOpen(null)} />}
      {open === 'link' && <LinkDialog editor={editor} onClose={() => setOpen(null)} />}
    </div>
  );
}
