import type { Verdict } from '../intake/verdict.js';

/** One thing that is wrong with an input. */
export interface FieldError {
  field: string;
  code: string;
  message: string;
  /** Where in a text the fault is, in UTF-16 code units. */
  position?: number;
  length?: number;
  /** The text with the fault mended; null when nothing is near. */
  suggestion?: string | null;
}

/** A problem as the API answers it. Source: RFC 9457. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  detail: string;
  instance?: string;
  /** Public, and never reused for another problem. */
  code: string;
  requestId?: string;
  errors?: FieldError[];
  verdict?: Verdict;
}
