import { CLEANER_VERSION, isCleanable, lengthOfPieces, type Piece } from '@uniferum/core/inspection';
import type { Inspector } from '../inspection/inspector.js';
import type { AssetRow } from '../library/asset-queries.js';
import { publicMetadataOf } from '../library/folder-access.js';
import { type ByteStore, withBorrowed } from '../shared/byte-store.js';
import type { Executor } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { SharedWork } from '../shared/shared-work.js';
import { explainStoreFault } from '../stores/store-faults.js';
import { findPublicOriginal, putPublicOriginal } from './queries.js';

/** What is served for an original. */
export interface PublicOriginal {
  bytes: number;
  /** Null for the unmodified original. */
  pieces: readonly Piece[] | null;
  /** Identifies the public form. */
  form: string | null;
}

/** How many public forms are cached, each with at most this many pieces. */
const KEPT = 2000;
const KEPT_PIECES = 200;

/** Originals as the public sees them: without the embedded metadata that their folders withhold. */
export class PublicOriginals {
  readonly #db: Executor;
  readonly #store: ByteStore;
  readonly #inspector: Inspector;
  readonly #kept = new Map<string, PublicOriginal>();
  readonly #inFlight = new SharedWork<PublicOriginal>();

  constructor(db: Executor, store: ByteStore, inspector: Inspector) {
    this.#db = db;
    this.#store = store;
    this.#inspector = inspector;
  }

  /** @throws UniferumError `metadata-kept` when the metadata cannot be removed, `busy` */
  async open(asset: AssetRow): Promise<PublicOriginal> {
    const whole = { bytes: asset.bytes, pieces: null, form: null };
    if (!isCleanable(asset.mime) || asset.bytes === 0) return whole;
    const kept = await publicMetadataOf(this.#db, asset.folder_path);
    if (kept === 'all') return whole;
    const key = `${asset.sha256} ${kept}`;
    const known = this.#kept.get(key);
    if (known) return known;
    const form = await this.#inFlight.wait(key, undefined, () => this.#find(asset, kept));
    if ((form.pieces?.length ?? 0) <= KEPT_PIECES) this.#keep(key, form);
    return form;
  }

  async #find({ sha256, mime, name }: AssetRow, kept: 'rights' | 'none'): Promise<PublicOriginal> {
    const form = `${kept}.${CLEANER_VERSION}`;
    const row = await findPublicOriginal(this.#db, sha256, kept, CLEANER_VERSION);
    if (row) return { bytes: row.bytes, pieces: unpack(row.pieces), form };
    const pieces = await withBorrowed(this.#store, sha256, (path) =>
      this.#inspector.clean(path, mime, kept),
    ).catch((error) => refuse(explainStoreFault(error, this.#store.name, { isOwn: true }), name));
    const bytes = lengthOfPieces(pieces);
    await putPublicOriginal(this.#db, sha256, kept, {
      cleaner: CLEANER_VERSION,
      bytes,
      pieces: pack(pieces),
    });
    return { bytes, pieces, form };
  }

  #keep(key: string, form: PublicOriginal): void {
    this.#kept.set(key, form);
    const [oldest] = this.#kept.keys();
    if (this.#kept.size > KEPT && oldest !== undefined) this.#kept.delete(oldest);
  }
}

function refuse(error: unknown, name: string): never {
  if (error instanceof UniferumError) throw error;
  throw new UniferumError(
    'metadata-kept',
    `${name} is not available here: its embedded metadata can't be removed (${error instanceof Error ? error.message : error}), and its folder doesn't let them out. Save it again with another program, or let the folder publish all metadata.`,
  );
}

type Packed = [from: number, to: number] | [zeros: number] | string;

function pack(pieces: readonly Piece[]): string {
  return JSON.stringify(
    pieces.map((piece): Packed => {
      if ('from' in piece) return [piece.from, piece.to];
      return 'bytes' in piece ? Buffer.from(piece.bytes).toString('base64') : [piece.zeros];
    }),
  );
}

function unpack(text: string): Piece[] {
  return (JSON.parse(text) as Packed[]).map((piece): Piece => {
    if (typeof piece === 'string') return { bytes: Buffer.from(piece, 'base64') };
    const [first, second] = piece;
    return second === undefined ? { zeros: first } : { from: first, to: second };
  });
}
