import type { Piece } from '@uniferum/core/inspection';
import type { ManifestMapping, ManifestPlan } from '@uniferum/core/intake';
import type { EmbeddedMetadata } from '@uniferum/core/library';
import type { PoolOptions } from '../shared/process-messages.js';
import { ProcessPool } from '../shared/process-pool.js';
import { ProcessKilledError } from '../shared/process-task.js';
import type { PictureSize } from './embedded.js';
import type {
  FileToInspect,
  InspectionPart,
  InspectionResult,
  InspectionWork,
  ShrunkPicture,
} from './work.js';

/** What is known of a picture after its header was read. */
export interface Inspected {
  /** Null when the header can't be read. */
  size: PictureSize | null;
  pages: number;
  metadata: EmbeddedMetadata;
  /** Why it can't be read as a picture. */
  unreadable: string | null;
  /** Why its metadata can't be read; the picture may be good all the same. */
  metadataFault: string | null;
}

/** So many files are sent to a process at a time: they are inspected one by one, and each answers for itself. */
const FILES_PER_BATCH = 32;

interface Waiting {
  file: FileToInspect;
  found: Inspected;
  isOver: boolean;
  resolve: (inspected: Inspected) => void;
  reject: (error: unknown) => void;
}

/**
 * Reads what strangers' files say of themselves, in processes of their own with limits of memory and time. Files that are
 * asked about at the same time go together.
 */
export class Inspector {
  readonly #pool: ProcessPool<InspectionWork, InspectionResult, InspectionPart>;
  readonly #processes: number;
  readonly #waiting: Waiting[] = [];
  #batches = 0;

  constructor(options: PoolOptions) {
    this.#pool = new ProcessPool(new URL('./process.js', import.meta.url), options);
    this.#processes = options.processes;
  }

  /** Reads size and metadata of a picture. @throws UniferumError `busy` when no process can be had */
  inspect(file: FileToInspect): Promise<Inspected> {
    return new Promise((resolve, reject) => {
      const found: Inspected = {
        size: null,
        pages: 1,
        metadata: {},
        unreadable: null,
        metadataFault: null,
      };
      this.#waiting.push({ file, found, isOver: false, resolve, reject });
      this.#sendBatches();
    });
  }

  /** Finds the address of a description in a page that was fetched to a file; null when it names none. */
  async discover(path: string): Promise<string | null> {
    return ((await this.#pool.run({ kind: 'discover', path })) as { address: string | null }).address;
  }

  /**
   * Works out what a manifest that lies in a file would take in, and writes it to another file as lines of `PlannedLine`.
   *
   * @throws ProcessKilledError when it needs more memory or time than there is for it
   */
  async planManifest(
    path: string,
    options: { mapping: ManifestMapping | null; folder: string; outPath: string },
  ): Promise<Omit<ManifestPlan, 'rows' | 'faults'>> {
    const plan = await this.#pool.run({ kind: 'manifest', path, ...options });
    return plan as Omit<ManifestPlan, 'rows' | 'faults'>;
  }

  /**
   * Works out of which pieces of a file its form without embedded metadata consists.
   *
   * @throws Error when it is broken; ProcessKilledError when it needs more memory or time than there is for it
   */
  async clean(path: string, mime: string, keep: 'rights' | 'none'): Promise<Piece[]> {
    return ((await this.#pool.run({ kind: 'clean', path, mime, keep })) as { pieces: Piece[] }).pieces;
  }

  /** Writes a small WebP of a picture. @throws Error when it can't be decoded */
  async shrink(path: string, outPath: string, sizePx: number): Promise<ShrunkPicture> {
    const work: InspectionWork = { kind: 'shrink', path, outPath, sizePx, maxPixels: 50_000_000 };
    return (await this.#pool.run(work)) as ShrunkPicture;
  }

  /** The process ids, for who watches them. */
  get pids(): number[] {
    return this.#pool.pids;
  }

  close(): Promise<void> {
    return this.#pool.close();
  }

  #sendBatches(): void {
    while (this.#waiting.length > 0 && this.#batches < this.#processes) {
      this.#batches += 1;
      void this.#inspectBatch(this.#waiting.splice(0, FILES_PER_BATCH)).finally(() => {
        this.#batches -= 1;
        this.#sendBatches();
      });
    }
  }

  async #inspectBatch(batch: Waiting[]): Promise<void> {
    try {
      await this.#pool.run(
        { kind: 'inspect', files: batch.map(({ file }) => file) },
        { onPart: (part) => takePart(batch[part.n], part) },
      );
    } catch (error) {
      const left = batch.filter(({ isOver }) => !isOver);
      if (error instanceof ProcessKilledError) {
        // They are inspected in their order: the first that is left is the one that did it.
        blame(left.shift(), error.message);
        this.#waiting.unshift(...left);
      } else for (const { reject } of left) reject(error);
    }
  }
}

function takePart(waiting: Waiting | undefined, part: InspectionPart): void {
  if (!waiting || waiting.isOver) return;
  const { found } = waiting;
  switch (part.found) {
    case 'size':
      found.size = part.size;
      found.pages = part.pages;
      return;
    case 'metadata':
      found.metadata = part.metadata;
      break;
    case 'fault':
      setFault(found, part.reason);
      break;
  }
  settle(waiting);
}

function blame(waiting: Waiting | undefined, reason: string): void {
  if (!waiting) return;
  setFault(waiting.found, reason);
  settle(waiting);
}

function setFault(found: Inspected, reason: string): void {
  if (found.size === null) found.unreadable = reason;
  else found.metadataFault = reason;
}

function settle(waiting: Waiting): void {
  waiting.isOver = true;
  waiting.resolve(waiting.found);
}
