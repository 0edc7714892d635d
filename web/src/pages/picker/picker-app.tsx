import { useQuery } from '@tanstack/react-query';
import { hasRight, type Me } from '@uniferum/core/access';
import type { Asset } from '@uniferum/core/library';
import { X } from 'lucide-react';
import { type ReactNode, useEffect, useState } from 'react';
import { uniferum } from '../../client.js';
import { LibraryRoot } from '../../library/hooks.js';
import { Button, IconButton } from '../../ui/button.js';
import { FailureLine } from '../../ui/notice.js';
import { ViewTabs } from '../../ui/view-tabs.js';
import { PLACES, type Place } from '../picker-dialog.js';
import { Shelf } from '../shelf.js';
import { AddressForm, UploadForm } from '../take-forms.js';
import { ChosenAsset } from './chosen-asset.js';
import { renewToken, tellHost, useHost } from './host.js';

/** How long before its end a token is replaced. */
const RENEW_MS = 30_000;

/** The picker in a frame of another site's page: library, upload and address, with what its token allows. */
export function PickerApp() {
  const { origin, token, failure } = useHost();
  const me = useQuery({
    queryKey: ['me'],
    enabled: token !== null,
    queryFn: ({ signal }) => uniferum.session.me({ signal }),
  });
  const { refetch } = me;
  useRenewal(me.data?.scope?.expiresIn ?? null, me.dataUpdatedAt, refetch);
  useEscape();
  const refusal = failure ?? (me.data && origin !== null ? refusalOf(me.data, origin) : null);
  return (
    <div className="flex h-full flex-col bg-raised">
      <header className="flex items-center justify-between border-b border-rule px-4 py-2">
        <h1 className="text-lg font-semibold">Choose media</h1>
        <IconButton name="Close" onClick={() => tellHost({ type: 'close' })}>
          <X className="size-4" />
        </IconButton>
      </header>
      {refusal !== null ? (
        <Note role="alert">
          {refusal} {failure !== null && <Button onClick={() => void renewToken()}>Try again</Button>}
        </Note>
      ) : me.error ? (
        <div className="p-4">
          <FailureLine error={me.error} />
        </div>
      ) : me.data?.scope ? (
        <LibraryRoot value={me.data.scope.folder}>
          <Picker mayUpload={hasRight(me.data.rights, 'library:write')} />
        </LibraryRoot>
      ) : (
        <Note role="status">{window.parent === window ? NOT_FRAMED : 'Loading …'}</Note>
      )}
    </div>
  );
}

const NOT_FRAMED = 'This page is shown by <uniferum-picker> in the page of another site.';

function Note({ role, children }: { role: 'alert' | 'status'; children: ReactNode }) {
  return (
    <p role={role} className="p-4 text-sm text-soft">
      {children}
    </p>
  );
}

/** Why a page can't use its token; null when it can. */
function refusalOf({ kind, scope }: Me, origin: string): string | null {
  if (kind !== 'token' || !scope)
    return 'An API key must not be sent to a browser. Pass a token of POST /picker-tokens to the picker.';
  if (scope.origin !== null && scope.origin !== origin)
    return `The token is for pages of ${scope.origin}, and this one is of ${origin}.`;
  return null;
}

function Picker({ mayUpload }: { mayUpload: boolean }) {
  const { filter } = useHost();
  const [place, setPlace] = useState<Place>('library');
  const [chosen, setChosen] = useState<Asset | null>(null);
  if (chosen) return <ChosenAsset asset={chosen} onBack={() => setChosen(null)} />;
  return (
    <>
      {mayUpload && (
        <ViewTabs<Place> label="Where it comes from" tabs={PLACES} chosen={place} onChoose={setPlace} />
      )}
      <div className="min-h-0 flex-1 overflow-y-auto">
        {place === 'library' && <Shelf q={filter} verb="Choose" onPlace={setChosen} />}
        {place === 'upload' && (
          <UploadForm verb="Upload" onUploaded={([first]) => setChosen(first ?? null)} />
        )}
        {place === 'address' && <AddressForm verb="Add" onTaken={setChosen} />}
      </div>
    </>
  );
}

/** Replaces the token before it expires: an upload can't be sent again with another one half-way. */
function useRenewal(expiresIn: number | null, readAt: number, onRenewed: () => unknown): void {
  // biome-ignore lint/correctness/useExhaustiveDependencies: each reading of the token begins anew
  useEffect(() => {
    if (expiresIn === null) return undefined;
    const leftMs = expiresIn * 1000;
    const timer = setTimeout(
      () => void renewToken().then((token) => token !== null && onRenewed()),
      Math.max(leftMs - RENEW_MS, leftMs / 2, 1000),
    );
    return () => clearTimeout(timer);
  }, [expiresIn, readAt, onRenewed]);
}

/** Escape closes what is open in the frame first, and then the picker. */
function useEscape(): void {
  useEffect(() => {
    const close = (event: KeyboardEvent) => {
      if (event.key === 'Escape' && !event.defaultPrevented) tellHost({ type: 'close' });
    };
    window.addEventListener('keydown', close);
    return () => window.removeEventListener('keydown', close);
  }, []);
}
