import { createHmac, randomUUID } from 'node:crypto';
import type { AssetTexts } from '@uniferum/core/library';
import type { CheckAnswer, CustomCheck } from '@uniferum/core/rules';
import Joi from 'joi';
import type { Config } from '../shared/config.js';
import { FetchFailure, fetchAddress } from '../shared/outgoing.js';

/** What a custom check receives about a file. */
export interface CheckQuestion {
  name: string;
  folder: string;
  bytes: number;
  mime: string;
  sha256: string;
  width: number | null;
  height: number | null;
  texts: AssetTexts;
}

const MAX_ANSWER_BYTES = 64_000;
const SECRET_PREFIX = 'whsec_';

const answerSchema = Joi.object({
  accept: Joi.boolean().strict().required(),
  message: Joi.string().max(500).allow(null, ''),
}).unknown();

/**
 * Asks a URL whether a file may be stored, with a request signed as in Standard Webhooks. Without an answer in time
 * the rule's fallback applies; it never throws.
 */
export async function askCheck(
  config: Pick<Config, 'allowedHosts' | 'masterKey'>,
  check: CustomCheck,
  question: CheckQuestion,
): Promise<CheckAnswer> {
  const timestamp = new Date();
  const body = JSON.stringify({ type: 'intake.check', timestamp: timestamp.toISOString(), data: question });
  const id = `msg_${randomUUID()}`;
  const seconds = Math.floor(timestamp.getTime() / 1000);
  try {
    const answer = await fetchAddress(config, check.url, {
      method: 'POST',
      timeoutMs: check.timeoutMs,
      signal: AbortSignal.timeout(check.timeoutMs),
      headers: {
        'content-type': 'application/json',
        'webhook-id': id,
        'webhook-timestamp': String(seconds),
        'webhook-signature': sign(checkSecret(config, check.url), `${id}.${seconds}.${body}`),
      },
      body,
    });
    const { value, error } = answerSchema.validate(JSON.parse(await readShort(answer.body)));
    if (error) throw new FetchFailure(`its answer is not { "accept": true or false, "message" }`);
    return { isAccepted: value.accept, isAnswer: true, message: value.message || null };
  } catch (error) {
    return {
      isAccepted: check.onFailure === 'accept',
      isAnswer: false,
      message: describe(error, check),
    };
  }
}

/** The secret with which the receiver of a check verifies that a request was sent by this installation. */
export function checkSecret({ masterKey }: Pick<Config, 'masterKey'>, url: string): string {
  return `${SECRET_PREFIX}${createHmac('sha256', masterKey).update(`check:${url}`).digest('base64')}`;
}

/** Signs as defined by Standard Webhooks 1.0.0: HMAC-SHA256 of id, timestamp and payload, joined by dots. */
export function sign(secret: string, content: string): string {
  const key = Buffer.from(secret.slice(SECRET_PREFIX.length), 'base64');
  return `v1,${createHmac('sha256', key).update(content).digest('base64')}`;
}

async function readShort(body: AsyncIterable<Buffer>): Promise<string> {
  const parts: Buffer[] = [];
  let bytes = 0;
  for await (const part of body) {
    bytes += part.length;
    if (bytes > MAX_ANSWER_BYTES) throw new FetchFailure('its answer is too long');
    parts.push(part);
  }
  return Buffer.concat(parts).toString('utf8');
}

function describe(error: unknown, { timeoutMs }: CustomCheck): string {
  if (error instanceof FetchFailure) return error.message;
  if (error instanceof Error && /timeout|abort/i.test(error.name))
    return `it did not answer within ${timeoutMs} ms`;
  if (error instanceof SyntaxError) return 'its answer is not JSON';
  return error instanceof Error ? error.message : String(error);
}
