import { createRoot } from 'react-dom/client';
import { useUploads } from './use-uploads.js';

function Uploads({ title, most }) {
  const { uploads, send, isFull } = useUploads(most);
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <input
        type="file"
        accept="image/*"
        multiple={most !== 1}
        disabled={isFull}
        aria-label={`Pictures: ${title}`}
        onChange={(event) => {
          send([...event.target.files]);
          event.target.value = '';
        }}
      />
      <ul>
        {uploads.map(({ id, file, share, state, message, abort }) => (
          <li key={id}>
            {file.name}: {state} {message}
            {state === 'sending' && (
              <>
                <progress max="1" value={share} aria-label={`${file.name}, sent`} />
                <button type="button" onClick={() => abort.abort()}>
                  Stop {file.name}
                </button>
              </>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

createRoot(document.querySelector('#root')).render(
  <main>
    <h1>Pictures for the archive</h1>
    <Uploads title="One picture" most={1} />
    <Uploads title="Up to five" most={5} />
    <Uploads title="As many as you like" most={null} />
  </main>,
);
