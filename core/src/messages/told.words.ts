import type { HoldReason } from '../notices/decide.ts';

export const HOLD_WORDS: Record<HoldReason, string> = {
  leave: 'on leave',
  'daily-limit': 'a full day',
  unreachable: 'mail comes back',
  'missing-value': 'a merge field has no value',
  'set-aside': 'it could not be worked out',
  'on-hold': 'somebody holds it',
  'taken-up': 'somebody has taken it up',
};
