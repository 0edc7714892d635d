/** Periodic cleanup, run by any worker. */
export interface Sweep {
  /** Its name in the log. */
  name: string;
  /** Does it and returns the result. Running it concurrently is harmless. */
  run(): Promise<unknown>;
}
