import type { Amount, Flow } from '@uniferum/core/flow';
import Joi from 'joi';
import type { Counter } from './counters.js';
import { answer } from './schemas.js';
import type { Services } from './services.js';

/** The figures that a room contributes to the flow map. */
export interface FlowPart {
  /** The schema of each of its figures, by name. */
  schema: Record<string, Joi.Schema>;
  read(services: Pick<Services, 'db' | 'store'>): Promise<Partial<Flow>>;
}

/** The schema of an amount of files. */
export const amountSchema = answer({ items: Joi.number().integer(), bytes: Joi.number().integer() });

/** The stored amount with a name. */
export function amountOf(counters: readonly Counter[], scope: string, name: string): Amount {
  const counter = counters.find((one) => one.scope === scope && one.name === name);
  return { items: counter?.items ?? 0, bytes: counter?.bytes ?? 0 };
}
