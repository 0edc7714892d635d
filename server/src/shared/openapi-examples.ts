import { readFileSync } from 'node:fs';

/** What a real server answered to one operation of the API. */
export interface OperationExample {
  /** The values of the parameters in its path. */
  params: Record<string, string>;
  /** A JSON answer for each status. */
  answers: Record<string, Json>;
}

export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

/** Examples by the method and path of their operations, such as `get /api/v1/assets/{id}`. */
export type OperationExamples = Readonly<Record<string, OperationExample>>;

/** Recorded by `npm run examples`. */
export const EXAMPLES_FILE = new URL('../../api-examples.json', import.meta.url);

export function readExamples(): OperationExamples {
  return JSON.parse(readFileSync(EXAMPLES_FILE, 'utf8'));
}
