import type { PickedMedia } from '@uniferum/client';
import { type DetailedHTMLProps, type HTMLAttributes, StrictMode, useState } from 'react';
import { createRoot } from 'react-dom/client';

interface PickerProps extends DetailedHTMLProps<HTMLAttributes<HTMLElement>, HTMLElement> {
  'token-url': string;
  filter?: string;
  label?: string;
  sizes?: string;
  // React calls `onX` of a custom element for its event `x`.
  'onuniferum-pick'?: (event: CustomEvent<PickedMedia>) => void;
}

declare module 'react' {
  namespace JSX {
    interface IntrinsicElements {
      'uniferum-picker': PickerProps;
    }
  }
}

/** An editor of short notices, as a site may have one of its own. */
function NoticeEditor() {
  const [text, setText] = useState('');
  const [media, setMedia] = useState<{ key: string; picked: PickedMedia }[]>([]);
  return (
    <>
      <label>
        Notice
        <textarea rows={4} value={text} onChange={(event) => setText(event.target.value)} />
      </label>
      <uniferum-picker
        token-url="/picker-token"
        filter="kind:image"
        sizes="(min-width: 60rem) 40rem, 100vw"
        label="Add a picture"
        onuniferum-pick={(event) => setMedia([...media, { key: crypto.randomUUID(), picked: event.detail }])}
      />
      <h2>Preview</h2>
      <article>
        <p>{text}</p>
        {media.map(({ key, picked }) => (
          <figure key={key}>
            {/* biome-ignore lint/security/noDangerouslySetInnerHtml: the HTML of the picker is safe */}
            <div dangerouslySetInnerHTML={{ __html: picked.html }} />
            <figcaption>{picked.asset.caption}</figcaption>
          </figure>
        ))}
      </article>
    </>
  );
}

const root = document.getElementById('editor');
if (root)
  createRoot(root).render(
    <StrictMode>
      <NoticeEditor />
    </StrictMode>,
  );
