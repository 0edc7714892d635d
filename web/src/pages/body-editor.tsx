import { Selection } from '@tiptap/pm/state';
import { type Editor, EditorContent, getHTMLFromFragment, useEditor, useEditorState } from '@tiptap/react';
import StarterKit from '@tiptap/starter-kit';
import { useRef, useState } from 'react';
import { useRight } from '../access/hooks.js';
import { ViewTabs } from '../ui/view-tabs.js';
import { AssetLink } from './asset-link.js';
import { EditorToolbar } from './editor-toolbar.js';
import { NEW_MEDIA } from './media-attributes.js';
import { GalleryNode, MediaNode } from './media-node.js';
import { MediaPanel } from './media-panel.js';
import { PickerDialog } from './picker-dialog.js';
import { placeAsset } from './place-media.js';
import { RegionsPanel } from './regions-panel.js';
import { draggedAsset, Shelf } from './shelf.js';
import { SlotsPanel } from './slots-panel.js';
import type { PageDraft } from './use-page-draft.js';

/** Title, running text, and beside them the library, the slots, or how what is selected is shown. */
export function BodyEditor({ draft }: { draft: PageDraft }) {
  const mayWrite = useRight('pages:write');
  const [dropped, setDropped] = useState<readonly File[]>([]);
  const editor = useBodyEditor(draft, { isEditable: mayWrite, onFiles: setDropped });
  return (
    <div className="flex min-h-0 flex-1 flex-col overflow-y-auto border-t border-rule lg:flex-row lg:overflow-hidden">
      <div className="flex min-w-0 flex-1 flex-col lg:min-h-0 lg:overflow-y-auto">
        {editor && mayWrite && <EditorToolbar editor={editor} />}
        <div className="mx-auto w-full max-w-[44rem] px-6 py-8">
          <TitleField draft={draft} isReadOnly={!mayWrite} />
          <EditorContent editor={editor} className="writing" />
        </div>
      </div>
      {editor && mayWrite && <Beside editor={editor} draft={draft} />}
      {editor && dropped.length > 0 && (
        <PickerDialog editor={editor} dropped={dropped} onClose={() => setDropped([])} />
      )}
    </div>
  );
}

function TitleField({ draft, isReadOnly }: { draft: PageDraft; isReadOnly: boolean }) {
  const [title, setTitle] = useState(draft.page.title);
  return (
    <input
      aria-label="Title"
      value={title}
      readOnly={isReadOnly}
      maxLength={300}
      onChange={(event) => {
        setTitle(event.target.value);
        if (event.target.value.trim() !== '') draft.change({ title: event.target.value });
      }}
      className="mb-4 w-full bg-transparent text-3xl font-semibold outline-none placeholder:text-soft"
      placeholder="Title"
      dir="auto"
    />
  );
}

/** The text as it is saved, without the empty paragraph that the editor keeps at its end. */
function bodyOf({ state: { doc }, schema }: Pick<Editor, 'state' | 'schema'>): string {
  return getHTMLFromFragment(doc.content, schema).replace(/(?:<p><\/p>)+$/, '');
}

interface BodyEditorOptions {
  isEditable: boolean;
  /** Files of this computer were dropped into the text, or pasted: the cursor is where they belong. */
  onFiles: (files: readonly File[]) => void;
}

function useBodyEditor(
  { page, changeBody }: PageDraft,
  { isEditable, onFiles }: BodyEditorOptions,
): Editor | null {
  /** The text before it was changed for the first time; null afterwards. */
  const unchanged = useRef<string | null>(null);
  return useEditor({
    extensions: [
      StarterKit.configure({
        heading: { levels: [2, 3, 4] },
        link: { openOnClick: false, protocols: ['http', 'https', 'mailto', 'tel'] },
      }),
      MediaNode,
      GalleryNode,
      AssetLink,
    ],
    content: page.body,
    editable: isEditable,
    // Only what changed is drawn again, also with hundreds of pictures.
    shouldRerenderOnTransaction: false,
    editorProps: {
      attributes: { 'aria-label': 'Text of the page', role: 'textbox', 'aria-multiline': 'true' },
      handleDrop: (view, event) => dropInto(view, event, onFiles),
      handlePaste(_view, event) {
        const files = [...(event.clipboardData?.files ?? [])];
        // A program may put a picture of a text beside the text.
        if (files.length === 0 || event.clipboardData?.types.includes('text/html')) return false;
        onFiles(files);
        return true;
      },
    },
    onCreate: ({ editor }) => {
      unchanged.current = bodyOf(editor);
    },
    onUpdate: ({ editor }) => {
      // The editor also puts in order what nobody has changed.
      if (unchanged.current !== null && bodyOf(editor) === unchanged.current) return;
      unchanged.current = null;
      // The state of now, which can be written out also when the editor is gone.
      const { state, schema } = editor;
      changeBody(() => bodyOf({ state, schema }));
    },
  });
}

/** Places a file of the library where it is dropped, and passes files of this computer on. @returns whether it was any */
function dropInto(view: Editor['view'], event: DragEvent, onFiles: BodyEditorOptions['onFiles']): boolean {
  const at = view.posAtCoords({ left: event.clientX, top: event.clientY });
  const asset = draggedAsset(event);
  const type = view.state.schema.nodes.media;
  const files = [...(event.dataTransfer?.files ?? [])];
  if (!at || !type || (asset === null && files.length === 0)) return false;
  event.preventDefault();
  const { tr, doc } = view.state;
  if (asset !== null) view.dispatch(tr.insert(at.pos, type.create({ ...NEW_MEDIA, asset })));
  else {
    view.dispatch(tr.setSelection(Selection.near(doc.resolve(at.pos))));
    onFiles(files);
  }
  return true;
}

function Beside({ editor, draft }: { editor: Editor; draft: PageDraft }) {
  const [tab, setTab] = useState<'library' | 'slots' | 'regions'>('library');
  const isMedia = useEditorState({ editor, selector: ({ editor: one }) => one.isActive('media') });
  return (
    <aside
      aria-label="Beside the text"
      className="flex w-full shrink-0 flex-col border-rule bg-raised max-lg:border-t lg:min-h-0 lg:w-80 lg:overflow-y-auto lg:border-l"
    >
      {isMedia ? (
        <MediaPanel editor={editor} />
      ) : (
        <>
          <ViewTabs
            label="Beside the text"
            tabs={[
              { id: 'library', name: 'Library' },
              { id: 'slots', name: 'Slots' },
              { id: 'regions', name: 'Regions' },
            ]}
            chosen={tab}
            onChoose={setTab}
          />
          {tab === 'library' && <Shelf onPlace={(asset) => placeAsset(editor, asset)} />}
          {tab === 'slots' && <SlotsPanel draft={draft} />}
          {tab === 'regions' && <RegionsPanel draft={draft} />}
        </>
      )}
    </aside>
  );
}
