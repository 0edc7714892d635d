import type { AssetTexts } from '@uniferum/core/library';
import type { CheckAnswer, CustomCheck, EffectiveRules } from '@uniferum/core/rules';
import { textsOf } from '../library/asset-queries.js';
import type { PresentRow } from '../library/present-queries.js';
import type { Config } from '../shared/config.js';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { groupBy } from '../shared/group.js';
import { askCheck, type CheckQuestion } from './custom-check.js';
import { effectiveRules } from './service.js';

/** The configuration that rules depend on. */
export type RuleConfig = Pick<Config, 'allowedHosts' | 'masterKey' | 'maxUploadBytes' | 'maxPixels'>;

/** What calling the checks requires. */
export interface RuleTools {
  db: Database;
  config: RuleConfig;
}

/** An existing file submitted to a check, at its target location. */
export interface CheckSubject {
  row: Omit<PresentRow, 'id'>;
  name: string;
  folder: string;
}

const ASKED_AT_A_TIME = 6;

/**
 * The results of custom checks. Checks are called before a transaction begins, because a network request can take
 * long; a file that was not checked cannot be judged.
 */
export class Checks {
  readonly #answers = new Map<string, CheckAnswer>();

  /** Calls a check for files. */
  async ask(config: RuleConfig, check: CustomCheck, subjects: readonly CheckSubject[]): Promise<void> {
    const queue = [...subjects];
    const askNext = async (): Promise<void> => {
      for (let subject = queue.shift(); subject; subject = queue.shift()) {
        const question = questionOf(subject);
        this.#answers.set(keyOf(check, question), await askCheck(config, check, question));
      }
    };
    await Promise.all(Array.from({ length: Math.min(ASKED_AT_A_TIME, queue.length) }, askNext));
  }

  /**
   * The result of a folder's check for a file; undefined when there is no check.
   *
   * @throws UniferumError `conflict` when the file or the rules have changed since the call
   */
  answerFor({ check }: EffectiveRules, subject: CheckSubject): CheckAnswer | undefined {
    if (check === null) return undefined;
    const answer = this.#answers.get(keyOf(check.value, questionOf(subject)));
    if (answer) return answer;
    throw new UniferumError(
      'conflict',
      `${subject.name} or the check of ${check.from} was changed during the check. Try again.`,
    );
  }
}

/** Calls a folder's check, if it has one, for a file about to be stored there. */
export async function askAbout(
  { db, config }: RuleTools,
  subjects: readonly CheckSubject[],
): Promise<Checks> {
  const checks = new Checks();
  for (const [folder, some] of groupBy(subjects, (subject) => subject.folder)) {
    const { check } = await effectiveRules(db, folder);
    if (check !== null) await checks.ask(config, check.value, some);
  }
  return checks;
}

function questionOf({ row, name, folder }: CheckSubject): CheckQuestion {
  const texts: AssetTexts = textsOf(row);
  const { bytes, mime, sha256, width, height } = row;
  return { name, folder, bytes, mime, sha256, width, height, texts };
}

function keyOf({ url }: CustomCheck, question: CheckQuestion): string {
  return JSON.stringify([url, question]);
}
