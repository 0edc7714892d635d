/**
 * What can be uploaded: bytes, a blob, a stream, an answer of `fetch`, an address or data URI that the server fetches; in
 * Node.js also the path of a file, which is streamed from disk.
 */
export type UploadData =
  | Blob
  | ArrayBuffer
  | ArrayBufferView
  | ReadableStream<Uint8Array>
  | AsyncIterable<Uint8Array>
  | Response
  | URL
  | string;

/** A file that is ready to be sent, or an address that the server fetches. */
export type PreparedData =
  | { kind: 'blob'; name: string; data: Blob; release: () => Promise<void> }
  | { kind: 'address'; name: string | null; source: string };

const ADDRESS = /^(?:https?:\/\/|data:)/i;

/**
 * Prepares data for an upload. A stream is written to a temporary file in Node.js, because a request that has to be repeated
 * needs its bytes again.
 *
 * @param name how the file is called; derived from the data where that says it
 * @throws Error when there is neither a name nor anything to derive it from
 */
export async function prepareData(data: UploadData, name: string | undefined): Promise<PreparedData> {
  if (data instanceof URL) return prepareData(data.href, name);
  if (typeof data === 'string')
    return ADDRESS.test(data)
      ? { kind: 'address', name: name ?? null, source: data }
      : ofBlob(await openFile(data), name ?? lastPart(data));
  if (data instanceof Blob) return ofBlob(data, name ?? ('name' in data ? String(data.name) : undefined));
  if (data instanceof Response) return prepareResponse(data, name);
  if (data instanceof ArrayBuffer || ArrayBuffer.isView(data))
    return ofBlob(new Blob([data as BlobPart]), name);
  if (data instanceof ReadableStream || Symbol.asyncIterator in Object(data)) return spool(data, name);
  throw new TypeError(
    'Only bytes, blobs, streams, responses, addresses and paths can be uploaded. Pass one of these as "data".',
  );
}

async function prepareResponse(response: Response, name: string | undefined): Promise<PreparedData> {
  const { ok, status, url, body } = response;
  if (!ok) throw new Error(`${url || 'The response'} returned status ${status} instead of a file.`);
  const named = name ?? nameOfResponse(response);
  return body === null ? ofBlob(new Blob([]), named) : spool(body, named);
}

function ofBlob(data: Blob, name: string | undefined, release = async () => {}): PreparedData {
  if (!name) throw new Error('Pass a name for the file: { name, data }. This data has none of its own.');
  return { kind: 'blob', name, data, release };
}

/**
 * What is used of Node's own modules. They are neither imported, so that bundlers don't look for them, nor are their types, so
 * that scripts for browsers compile.
 */
interface NodeModules {
  'node:fs': {
    openAsBlob(path: string): Promise<Blob>;
    promises: {
      mkdtemp(prefix: string): Promise<string>;
      rm(path: string, options: { recursive: boolean; force: boolean }): Promise<void>;
      writeFile(path: string, data: AsyncIterable<Uint8Array>, options: { mode: number }): Promise<void>;
    };
  };
  'node:os': { tmpdir(): string };
  'node:path': { join(...parts: string[]): string };
  'node:crypto': {
    createHash(name: 'sha256'): { update(piece: Uint8Array): void; digest(encoding: 'hex'): string };
  };
}

/** Undefined in browsers. */
function nodeModule<Name extends keyof NodeModules>(name: Name): NodeModules[Name] | undefined {
  const { process } = globalThis as { process?: { getBuiltinModule?(name: string): unknown } };
  return process?.getBuiltinModule?.(name) as NodeModules[Name] | undefined;
}

async function openFile(path: string): Promise<Blob> {
  const fs = nodeModule('node:fs');
  if (!fs)
    throw new Error(
      `Browsers can't open ${path}: paths work only in Node.js. Pass a File, or an http(s) URL.`,
    );
  try {
    return await fs.openAsBlob(path);
  } catch (cause) {
    throw new Error(`${path} can't be read. Check that the file exists.`, { cause });
  }
}

async function spool(
  stream: ReadableStream<Uint8Array> | AsyncIterable<Uint8Array>,
  name: string | undefined,
): Promise<PreparedData> {
  const [fs, os, path] = [nodeModule('node:fs'), nodeModule('node:os'), nodeModule('node:path')];
  if (!name) return ofBlob(new Blob([]), name);
  if (!fs || !os || !path)
    return ofBlob(await new Response(stream as ReadableStream<Uint8Array>).blob(), name);
  const folder = await fs.promises.mkdtemp(path.join(os.tmpdir(), 'uniferum-upload-'));
  const release = () => fs.promises.rm(folder, { recursive: true, force: true });
  const file = path.join(folder, 'file');
  try {
    await fs.promises.writeFile(file, stream as AsyncIterable<Uint8Array>, { mode: 0o600 });
    return ofBlob(await fs.openAsBlob(file), name, release);
  } catch (error) {
    await release();
    throw error;
  }
}

function lastPart(path: string): string | undefined {
  return path.split(/[\\/]/).findLast((part) => part !== '');
}

/** From its header (RFC 6266), or the last part of its address. */
function nameOfResponse({ headers, url }: Response): string | undefined {
  const disposition = headers.get('content-disposition') ?? '';
  const extended = /filename\*=UTF-8''([^;]+)/i.exec(disposition)?.[1];
  const plain = /filename="?([^";]+)"?/i.exec(disposition)?.[1];
  const part = extended ?? plain ?? (URL.canParse(url) ? lastPart(new URL(url).pathname) : undefined);
  try {
    return part && decodeURIComponent(part);
  } catch {
    return part;
  }
}

/** SHA-256 in hexadecimal digits, without holding a large file in memory; null where only a part of it could be hashed. */
export async function digestOf(data: Blob): Promise<string | null> {
  const crypto = nodeModule('node:crypto');
  if (crypto) {
    const hash = crypto.createHash('sha256');
    for await (const piece of data.stream() as unknown as AsyncIterable<Uint8Array>) hash.update(piece);
    return hash.digest('hex');
  }
  if (data.size > MAX_IN_MEMORY || globalThis.crypto?.subtle === undefined) return null;
  const digest = await globalThis.crypto.subtle.digest('SHA-256', await data.arrayBuffer());
  return [...new Uint8Array(digest)].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}

const MAX_IN_MEMORY = 64_000_000;
