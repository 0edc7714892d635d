import type { Tagged } from '@uniferum/client';
import type { SitePageAnswer } from '@uniferum/core/pages';
import { useState } from 'react';
import { useParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { Button } from '../ui/button.js';
import { ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { TextLink } from '../ui/text-link.js';
import { BodyEditor } from './body-editor.js';
import { useOpenedPage, useOtherEditors } from './page-hooks.js';
import { PagePreview } from './page-preview.js';
import { PageSettingsDialog } from './page-settings-dialog.js';
import { PublishFailure } from './publish-failure.js';
import { RevisionsDialog } from './revisions-dialog.js';
import { type PageDraft, usePageDraft } from './use-page-draft.js';

/** Where a page is written. */
export function PageEditor() {
  const { id = '' } = useParams();
  const { data: opened, error, refetch } = useOpenedPage(id);
  if (error)
    return (
      <Page title="Page">
        <div className="p-6">
          <ErrorNotice error={error} />
        </div>
      </Page>
    );
  if (!opened) return null;
  return <Editor key={opened.etag} opened={opened} onReload={() => void refetch()} />;
}

interface EditorProps {
  opened: Tagged<SitePageAnswer>;
  /** Reads the page again, and drops what is written. */
  onReload: () => void;
}

function Editor({ opened, onReload }: EditorProps) {
  const draft = usePageDraft(opened);
  const mayWrite = useRight('pages:write');
  const [isPreview, setPreview] = useState(false);
  const [isRevisions, setRevisions] = useState(false);
  const [isSettings, setSettings] = useState(false);
  const { page } = draft;
  const showPreview = async () => {
    if (isPreview || (await draft.saveNow())) setPreview(!isPreview);
  };
  return (
    <Page
      title="Pages"
      note={
        <span className="flex items-baseline gap-3">
          <TextLink to="/pages">All pages</TextLink>
          <span className="font-mono text-xs">{page.path}</span>
          <StateMark state={page.state} />
          {page.hasChanges && <span>unpublished changes</span>}
        </span>
      }
      actions={
        <>
          <Saving draft={draft} />
          {mayWrite && (
            <Button look="quiet" onClick={() => setSettings(true)}>
              Settings
            </Button>
          )}
          <Button look="quiet" onClick={() => setRevisions(true)}>
            Revisions
          </Button>
          <Button aria-pressed={isPreview} onClick={() => void showPreview()}>
            {isPreview ? 'Write' : 'Preview'}
          </Button>
          {mayWrite && <PublishButtons draft={draft} />}
        </>
      }
    >
      <Notices draft={draft} onReload={onReload} />
      {isPreview ? <PagePreview html={page.html} title={page.title} /> : <BodyEditor draft={draft} />}
      {isSettings && <PageSettingsDialog draft={draft} onClose={() => setSettings(false)} />}
      {isRevisions && (
        <RevisionsDialog
          page={page}
          onClose={() => setRevisions(false)}
          onRestored={() => {
            setRevisions(false);
            onReload();
          }}
        />
      )}
    </Page>
  );
}

function Saving({ draft: { isSaved, isSaving, error } }: { draft: PageDraft }) {
  const word = error ? 'Not saved' : isSaving ? 'Saving …' : isSaved ? 'Saved' : 'Not saved yet';
  return (
    <span role="status" className="text-sm text-soft">
      {word}
    </span>
  );
}

function PublishButtons({ draft }: { draft: PageDraft }) {
  const { page, saveNow, isSaving, isSaved } = draft;
  const isLive = page.state === 'published' && !page.hasChanges && isSaved;
  return (
    <>
      {page.state === 'published' && (
        <Button look="quiet" disabled={isSaving} onClick={() => void saveNow({ state: 'draft' })}>
          Unpublish
        </Button>
      )}
      <Button look="main" disabled={isSaving || isLive} onClick={() => void saveNow({ state: 'published' })}>
        {page.state === 'published' ? 'Publish changes' : 'Publish'}
      </Button>
    </>
  );
}

function Notices({ draft, onReload }: { draft: PageDraft; onReload: () => void }) {
  const { page, error, isStale, keepMine, saveNow } = draft;
  const { data: others = [] } = useOtherEditors(page.id);
  return (
    <>
      {others.length > 0 && (
        <p role="status" className="border-y border-rule bg-oxide-wash px-6 py-1.5 text-sm">
          {others.join(', ')} {others.length === 1 ? 'is' : 'are'} editing this page as well.
        </p>
      )}
      {isStale && (
        <div role="alert" className="flex flex-wrap items-center gap-3 bg-oxide-wash px-6 py-2 text-sm">
          Someone else has saved this page since you opened it.
          <Button onClick={() => void keepMine()}>Overwrite with my version</Button>
          <Button look="quiet" onClick={onReload}>
            Discard mine and load theirs
          </Button>
        </div>
      )}
      {error && (
        <PublishFailure error={error} onForce={() => void saveNow({ state: 'published' }, { force: true })} />
      )}
      {page.broken > 0 && (
        <p className="flex items-center gap-2 px-6 py-1 text-sm">
          <StateMark state="broken" count={page.broken} />
          <TextLink to="/pages/broken">Show broken references</TextLink>
        </p>
      )}
    </>
  );
}
