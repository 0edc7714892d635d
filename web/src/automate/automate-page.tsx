import type { ApiKey } from '@uniferum/core/access';
import { ArrowUpRight, Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { CopyButton } from '../ui/copy-button.js';
import { formatAgo, formatMoment } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { useKeyChanges, useKeys } from './hooks.js';
import { MakeKeyDialog } from './make-key-dialog.js';

/** API keys, and an example script. */
export function AutomatePage() {
  const mayMake = useRight('keys:write');
  const { data: keys, error } = useKeys(mayMake);
  const [isMaking, setMaking] = useState(false);
  return (
    <Page
      title="Automate"
      note="Everything that the console does, a script can do."
      actions={<PageActions onMake={mayMake ? () => setMaking(true) : null} />}
    >
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,3fr)_minmax(0,2fr)] border-t border-rule">
        <section aria-label="API keys" className="overflow-y-auto border-r border-rule">
          {error && <ErrorNotice error={error} />}
          {!mayMake && <p className="p-6 text-soft">To see and make keys you need the right “keys:write”.</p>}
          {keys?.length === 0 && <NoKey onMake={() => setMaking(true)} />}
          <ul>
            {keys?.map((key) => (
              <KeyRow key={key.id} apiKey={key} />
            ))}
          </ul>
        </section>
        <FirstScript />
      </div>
      {isMaking && <MakeKeyDialog onClose={() => setMaking(false)} />}
    </Page>
  );
}

/** `onMake` is null without the right to create keys. */
function PageActions({ onMake }: { onMake: (() => void) | null }) {
  return (
    <>
      <a
        href="/api/v1/openapi.json"
        target="_blank"
        rel="noreferrer"
        className="inline-flex h-8 items-center gap-1.5 px-2 text-sm text-soft hover:text-ink hover:underline"
      >
        The API as OpenAPI <ArrowUpRight className="size-3.5" aria-label="Opens in a new tab" />
      </a>
      {onMake && (
        <Button look="main" onClick={onMake}>
          <Plus className="size-4" aria-hidden="true" /> New key
        </Button>
      )}
    </>
  );
}

function NoKey({ onMake }: { onMake: () => void }) {
  return (
    <div className="p-6">
      <EmptyPlace title="No key yet" action={<Button onClick={onMake}>Create the first key</Button>}>
        A script shows a key with each request. A key has the rights that you give it, and can be revoked at
        any time.
      </EmptyPlace>
    </div>
  );
}

function KeyRow({ apiKey }: { apiKey: ApiKey }) {
  const [isAsking, setAsking] = useState(false);
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-start gap-4 border-b border-rule px-6 py-3">
      <div>
        <h2 className="flex items-baseline gap-3 font-semibold">
          {apiKey.name} <span className="font-mono text-xs font-normal text-soft">{apiKey.prefix}…</span>
        </h2>
        <p className="font-mono text-xs leading-5 text-soft">{apiKey.rights.join(' ')}</p>
        {apiKey.origins.length > 0 && (
          <p className="text-sm text-soft">On pages of {apiKey.origins.join(', ')}</p>
        )}
        <p className="text-sm text-soft">
          Created {formatMoment(apiKey.createdAt)},{' '}
          {apiKey.lastUsedAt ? `last used ${formatAgo(apiKey.lastUsedAt)}` : 'never used'}
        </p>
      </div>
      {isAsking ? (
        <RevokeQuestion id={apiKey.id} onKeep={() => setAsking(false)} />
      ) : (
        <Button look="quiet" aria-label={`Revoke ${apiKey.name}`} onClick={() => setAsking(true)}>
          Revoke
        </Button>
      )}
    </li>
  );
}

interface RevokeQuestionProps {
  id: string;
  onKeep: () => void;
}

function RevokeQuestion({ id, onKeep }: RevokeQuestionProps) {
  const { revoke } = useKeyChanges();
  return (
    <span className="flex items-center gap-2">
      <span className="text-sm">Scripts that use it will stop working.</span>
      <FailureLine error={revoke.error} />
      <Button look="fault" disabled={revoke.isPending} onClick={() => revoke.mutate(id)}>
        Revoke
      </Button>
      <Button look="quiet" onClick={onKeep}>
        Keep
      </Button>
      <AsCode
        code={{
          method: 'DELETE',
          path: `/keys/${id}`,
          client: `await uniferum.keys.revoke('${id}');`,
        }}
      />
    </span>
  );
}

function FirstScript() {
  const script = `import { openAsBlob } from 'node:fs';
import { createClient } from '@uniferum/client';

const uniferum = createClient({
  baseUrl: '${window.location.origin}',
  key: process.env.UNIFERUM_KEY,
});

const data = await openAsBlob('dusk.jpg');
const [result] = await uniferum.assets.upload({
  folder: '/lights/gannet-head',
  files: [{ name: 'dusk.jpg', data }],
});
console.log(result.verdict.outcome, result.asset?.url);`;
  return (
    <section aria-label="A first script" className="overflow-y-auto p-6">
      <div className="flex items-center justify-between">
        <h2 className="font-semibold">A first script</h2>
        <CopyButton text={script} name="Copy the script" />
      </div>
      <pre className="mt-2 border-l-2 border-oxide pl-4 font-mono text-xs leading-5 whitespace-pre-wrap">
        {script}
      </pre>
      <p className="mt-4 text-sm text-soft">
        Every action in the console offers “View as code”: the same action as a request, a client call or a
        command.
      </p>
    </section>
  );
}
