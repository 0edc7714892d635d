import type { Verdict } from '../intake/verdict.js';

/** One error in an input. */
export interface FieldError {
  field: string;
  code: string;
  message: string;
  /** The position of the error in a text, in UTF-16 code units. */
  position?: number;
  length?: number;
  /** The corrected text; null without a suggestion. */
  suggestion?: string | null;
}

/** A problem as the API answers it. Source: RFC 9457. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  detail: string;
  instance?: string;
  /** Public and never reused for another problem. */
  code: string;
  requestId?: string;
  errors?: FieldError[];
  verdict?: Verdict;
}
