/** How far a file of an upload has got. */
export interface FileProgress {
  /** The position of the file in the request. */
  index: number;
  name: string;
  sentBytes: number;
  bytes: number;
}

/** Tells how much of each file was sent, from how much of the whole body was. */
export class ProgressReporter {
  readonly #files: readonly { index: number; name: string; bytes: number }[];
  readonly #onProgress: ((sentBytes: number) => void) | undefined;
  readonly #onFileProgress: ((progress: FileProgress) => void) | undefined;
  readonly #before: number;
  readonly #reported = new Map<number, number>();

  /** @param before what was sent of other files of the same request */
  constructor(
    files: readonly { index: number; name: string; bytes: number }[],
    {
      onProgress,
      onFileProgress,
    }: { onProgress?: (sentBytes: number) => void; onFileProgress?: (progress: FileProgress) => void },
    before = 0,
  ) {
    this.#files = files;
    this.#onProgress = onProgress;
    this.#onFileProgress = onFileProgress;
    this.#before = before;
  }

  /** Whether anybody looks. */
  get isWanted(): boolean {
    return this.#onProgress !== undefined || this.#onFileProgress !== undefined;
  }

  get bytes(): number {
    return this.#files.reduce((sum, { bytes }) => sum + bytes, 0);
  }

  /**
   * @param sent of the body so far. What is between files is little, and counted with them: until the body is complete the
   * figures may be ahead by a few hundred bytes, never beyond a file's size
   */
  report(sent: number): void {
    const total = Math.min(sent, this.bytes);
    this.#onProgress?.(this.#before + total);
    let begin = 0;
    for (const { index, name, bytes } of this.#files) {
      const own = Math.max(0, Math.min(bytes, total - begin));
      begin += bytes;
      if (own <= (this.#reported.get(index) ?? -1) || (own === 0 && bytes > 0)) continue;
      this.#reported.set(index, own);
      this.#onFileProgress?.({ index, name, sentBytes: own, bytes });
    }
  }
}
