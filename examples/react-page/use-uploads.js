import { assetCalls, connect } from '@uniferum/client';
import { useRef, useState } from 'react';

/** The address of Uniferum, the folder, and a token for it, from the site's own server. */
async function askForToken() {
  const answer = await fetch('/upload-token', { method: 'POST' });
  if (!answer.ok) throw new Error('Uploads are not possible right now. Try again later.');
  return answer.json();
}

/**
 * Uploads, each by itself: its progress, what became of it, and a way to stop it.
 *
 * @param most how many files may be sent in all; null for any number
 */
export function useUploads(most) {
  const [uploads, setUploads] = useState([]);
  const nextId = useRef(0);
  const change = (id, values) =>
    setUploads((all) => all.map((one) => (one.id === id ? { ...one, ...values } : one)));

  async function send(files) {
    const left = most === null ? files.length : Math.max(0, most - uploads.length);
    const begun = [...files].slice(0, left).map((file) => {
      nextId.current += 1;
      return {
        id: nextId.current,
        file,
        abort: new AbortController(),
        share: 0,
        state: 'sending',
        message: '',
      };
    });
    if (begun.length === 0) return;
    setUploads((all) => [...all, ...begun]);
    try {
      const { baseUrl, folder, token } = await askForToken();
      const { http, list } = connect({ baseUrl, key: token });
      const assets = assetCalls(http, list);
      await Promise.all(begun.map((upload) => sendOne(assets, folder, upload, change)));
    } catch (error) {
      for (const { id } of begun) change(id, { state: 'failed', message: error.message });
    }
  }

  return { uploads, send, isFull: most !== null && uploads.length >= most };
}

async function sendOne(assets, folder, { id, file, abort }, change) {
  try {
    const [{ asset, verdict }] = await assets.upload({
      folder,
      files: [file],
      signal: abort.signal,
      onFileProgress: ({ sentBytes, bytes }) => change(id, { share: sentBytes / bytes }),
    });
    const message = verdict.reasons.map((reason) => reason.message).join(' ');
    change(id, { state: asset === null ? 'refused' : 'arrived', share: 1, message });
  } catch (error) {
    const isStopped = error.name === 'AbortError';
    change(id, { state: isStopped ? 'stopped' : 'failed', message: isStopped ? '' : error.message });
  }
}
