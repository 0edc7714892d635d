/** Something that has to be done now and then, by whichever worker comes to it. */
export interface Sweep {
  /** What is done, for the log. */
  name: string;
  /** Does it, and says what came of it. Two at a time do no harm. */
  run(): Promise<unknown>;
}
