/** How an engine works. */
export interface EngineOptions {
  /** How many items are worked on at a time; others are held meanwhile, being made durable or ready to begin. */
  slots: number;
  /**
   * How many items more are got ready meanwhile, by handlers that hand the heavy part to processes of their own: those
   * then never wait for the database. @defaultValue 0
   */
  ahead?: number;
  /** After so long without a heartbeat an item is given to another worker. */
  leaseMs: number;
  /** How often an item is tried at most. @defaultValue 5 */
  maxAttempts?: number;
  /**
   * How often a worker may die with an item in hand. What could cost it its life runs in processes of its own, so it is
   * seldom the item's doing. @defaultValue 20
   */
  maxDeaths?: number;
  /** How long to look away when nothing waits, in milliseconds. @defaultValue 250 */
  idleMs?: number;
  /** @defaultValue 1000 */
  backoffBaseMs?: number;
  /** Work that takes longer is given up as stuck, unless its handler says otherwise. @defaultValue 900000 */
  maxWorkMs?: number;
}

/** What holds where an engine is told nothing else. */
export const ENGINE_DEFAULTS = {
  ahead: 0,
  maxAttempts: 5,
  maxDeaths: 20,
  idleMs: 250,
  backoffBaseMs: 1000,
  maxWorkMs: 900_000,
} as const satisfies Partial<EngineOptions>;
