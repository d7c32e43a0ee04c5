import type { Instant } from '@nudrik/core';
import type { Pool } from './db/db.ts';
import type { ProcessSettings } from './settings.ts';

/** The clock of an installation: real, or the demo's. Only shells read it. */
export interface Clock {
  now(): Instant;
}

export interface Logger {
  info(facts: object, words: string): void;
  warn(facts: object, words: string): void;
  error(facts: object, words: string): void;
}

/** What a use case works with. */
export interface Deps {
  db: Pool;
  clock: Clock;
  settings: ProcessSettings;
  log: Logger;
}
