import type { PictureNote, Piece } from '@uniferum/core/inspection';
import type { ManifestMapping, ManifestPlan } from '@uniferum/core/intake';
import type { EmbeddedMetadata } from '@uniferum/core/library';
import type { PoolOptions } from '../shared/process-messages.js';
import { ProcessPool } from '../shared/process-pool.js';
import { ProcessKilledError } from '../shared/process-task.js';
import type { PictureSize } from './embedded.js';
import type {
  DocumentPart,
  DocumentToRead,
  DocumentToRewrite,
  FileToInspect,
  InspectionPart,
  InspectionResult,
  InspectionWork,
  PlannedRewrite,
  ReadDocument,
  Reporting,
  RewritePlan,
  ShrunkPicture,
  StylesMoved,
  StylesToMove,
} from './work.js';

/** What is known about a picture after reading its header. */
export interface Inspected {
  /** Null when the header cannot be read. */
  size: PictureSize | null;
  pages: number;
  /** What its sender is told about it. */
  notes: PictureNote[];
  metadata: EmbeddedMetadata;
  /** Why it cannot be read as a picture. */
  unreadable: string | null;
  /** Why its metadata cannot be read; the picture itself may be fine. */
  metadataFault: string | null;
}

/** The number of files sent to a process at once; they are inspected one by one, with separate results. */
const FILES_PER_BATCH = 32;

/** Why a document has no result. */
export interface Fault {
  fault: string;
}

interface Waiting {
  file: FileToInspect;
  found: Inspected;
  isOver: boolean;
  resolve: (inspected: Inspected) => void;
  reject: (error: unknown) => void;
}

/** Reads untrusted files in separate processes with memory and time limits. Files requested at the same time are batched. */
export class Inspector {
  readonly #pool: ProcessPool<InspectionWork, InspectionResult, InspectionPart>;
  readonly #processes: number;
  readonly #waiting: Waiting[] = [];
  #batches = 0;

  constructor(options: PoolOptions) {
    this.#pool = new ProcessPool(new URL('./process.js', import.meta.url), options);
    this.#processes = options.processes;
  }

  /** Reads size and metadata of a picture. @throws UniferumError `busy` when no process is available */
  inspect(file: FileToInspect): Promise<Inspected> {
    return new Promise((resolve, reject) => {
      const found: Inspected = {
        size: null,
        pages: 1,
        notes: [],
        metadata: {},
        unreadable: null,
        metadataFault: null,
      };
      this.#waiting.push({ file, found, isOver: false, resolve, reject });
      this.#sendBatches();
    });
  }

  /** Finds the oEmbed discovery link in a page stored in a file; null when there is none. */
  async discover(path: string): Promise<string | null> {
    return ((await this.#pool.run({ kind: 'discover', path })) as { address: string | null }).address;
  }

  /**
   * Plans the import of a manifest stored in a file, and writes the plan to another file as lines of `PlannedLine`.
   *
   * @throws ProcessKilledError when it exceeds its memory or time limit
   */
  async planManifest(
    path: string,
    options: { mapping: ManifestMapping | null; folder: string; outPath: string },
  ): Promise<Omit<ManifestPlan, 'rows' | 'faults'>> {
    const plan = await this.#pool.run({ kind: 'manifest', path, ...options });
    return plan as Omit<ManifestPlan, 'rows' | 'faults'>;
  }

  /**
   * Plans which pieces of a file make up its form without embedded metadata.
   *
   * @throws Error when the file is corrupt; ProcessKilledError when it exceeds its memory or time limit
   */
  async clean(path: string, mime: string, keep: 'rights' | 'none'): Promise<Piece[]> {
    return ((await this.#pool.run({ kind: 'clean', path, mime, keep })) as { pieces: Piece[] }).pieces;
  }

  /**
   * Finds the references of documents. What can't be read, or exceeds the limits of memory and time, is a fault of that
   * document.
   */
  readDocuments(files: readonly DocumentToRead[]): Promise<(ReadDocument | Fault)[]> {
    return this.#eachOf(
      files,
      (some, reporting) => ({
        ...{ ...reporting, kind: 'documents' },
        files: some.map(({ content, format }) => ({ content, format })),
      }),
      (part) => (part.found === 'document' ? part.document : null),
    );
  }

  /** Plans the edits that replace addresses in documents; nothing is written. Faults are as of {@link readDocuments}. */
  planRewrites(files: readonly DocumentToRewrite[], plan: RewritePlan): Promise<(PlannedRewrite | Fault)[]> {
    return this.#eachOf(
      files,
      (some, reporting) => ({
        ...{ ...plan, ...reporting, kind: 'rewrite' },
        files: some.map(({ content, format, url }) => ({ content, format, url })),
      }),
      (part) => (part.found === 'rewrite' ? part.rewrite : null),
    );
  }

  /** Rewrites a style sheet for another place. @throws ProcessKilledError when it exceeds its memory or time limit */
  async moveStyles(sheet: StylesToMove): Promise<StylesMoved> {
    return (await this.#pool.run({ kind: 'styles', ...sheet })) as StylesMoved;
  }

  async #eachOf<File, Result>(
    files: readonly File[],
    workOn: (some: readonly File[], reporting: Reporting) => InspectionWork,
    resultOf: (part: DocumentPart) => Result | null,
  ): Promise<(Result | Fault)[]> {
    const results: (Result | Fault)[] = [];
    let isReportedSingly = false;
    while (results.length < files.length) {
      const begin = results.length;
      try {
        await this.#pool.run(workOn(files.slice(begin), { isReportedSingly }), {
          // Begun again after its process was killed from outside, the pool reports the first ones once more.
          onPart: (part) => {
            if (part.found !== 'documents') return;
            for (const one of part.documents)
              results[begin + one.n] = resultOf(one) ?? { fault: reasonOf(one) };
          },
        });
      } catch (error) {
        if (!(error instanceof ProcessKilledError)) throw error;
        // They are read in order: reported singly, the first without a result is the one that ended the process.
        if (isReportedSingly) results.push({ fault: error.message });
        isReportedSingly = !isReportedSingly;
      }
    }
    return results;
  }

  /** Writes a small WebP preview of a picture. @throws Error when it cannot be decoded */
  async shrink(path: string, outPath: string, sizePx: number): Promise<ShrunkPicture> {
    const work: InspectionWork = { kind: 'shrink', path, outPath, sizePx, maxPixels: 50_000_000 };
    return (await this.#pool.run(work)) as ShrunkPicture;
  }

  /** The ids of the processes, for monitoring. */
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
        // They are inspected in order: the first file without a result is the one that ended the process.
        blame(left.shift(), error.message);
        this.#waiting.unshift(...left);
      } else for (const { reject } of left) reject(error);
    }
  }
}

function reasonOf(part: DocumentPart): string {
  return part.found === 'fault' ? part.reason : 'it could not be read';
}

function takePart(waiting: Waiting | undefined, part: InspectionPart): void {
  if (!waiting || waiting.isOver) return;
  const { found } = waiting;
  switch (part.found) {
    case 'size':
      found.size = part.size;
      found.pages = part.pages;
      found.notes = part.notes;
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
