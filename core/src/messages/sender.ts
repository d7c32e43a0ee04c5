import type { Language } from '../people/language.ts';
import type { Person, Roster } from '../people/person.ts';
import type { Instant } from '../time/zone.ts';
import type { RepliesRule } from './replies.ts';

/** Who messages come from, as a course or one of its steps says it. What it leaves open is said by the one above: the course, then the house. */
export interface SenderRule {
  /** by the name of the course's trainer, who gets the replies too */
  isTrainer: boolean;
  name: string | null;
  /** the address that replies go to */
  replyTo: string | null;
}

export interface SenderHouse extends RepliesRule {
  senderName: string;
  /** what its messages are written in, where they say nothing else; English where it is not said */
  language?: Language;
}

/** Where replies go, where a course or a step says it: to the trainer, or to an address; null is as the house says. */
export type RepliesTo = 'trainer' | (string & {}) | null;

export interface Sender {
  name: string;
  replies: RepliesRule;
  repliesTo: RepliesTo;
}

/**
 * Who a message comes from, and whom its replies reach.
 * @param rules the nearest first: the step's, then the course's
 * @param trainer of the course; one who has left gives no name
 */
export function senderOf(
  house: SenderHouse,
  rules: readonly (SenderRule | null | undefined)[],
  trainer: Person | null,
  roster: Roster,
  now: Instant,
): Sender {
  const isThere = trainer !== null && !roster.hasLeft(trainer, roster.calendarOf(trainer).zone.dayAt(now));
  let name: string | null = null;
  let repliesTo: RepliesTo = null;
  for (const rule of rules) {
    if (!rule) continue;
    name ??= rule.isTrainer ? (isThere ? trainer.name : null) : rule.name;
    repliesTo ??= repliesToOf(rule);
  }
  return { name: name ?? house.senderName, replies: repliesRuleOf(house, repliesTo), repliesTo };
}

/** Where replies go, as a course or a step says it alone. */
export const repliesToOf = (rule: SenderRule | null | undefined): RepliesTo => rule?.replyTo ?? (rule?.isTrainer ? 'trainer' : null);

/** Whom replies reach, where something nearer than the house may have said it. */
export function repliesRuleOf({ replyTo, repliesToTrainer }: RepliesRule, repliesTo: RepliesTo): RepliesRule {
  if (repliesTo === null) return { replyTo, repliesToTrainer };
  return repliesTo === 'trainer' ? { replyTo, repliesToTrainer: true } : { replyTo: repliesTo, repliesToTrainer: false };
}

/** What several courses say alike; of a message that tells of courses that say otherwise, the house is the sender. */
export function sharedRule(rules: readonly (SenderRule | null | undefined)[]): SenderRule | null {
  const [first = null] = rules;
  return first && rules.every((rule) => JSON.stringify(rule) === JSON.stringify(first)) ? first : null;
}

/** In words, for the record and for comparing. */
export const tellSender = (rule: SenderRule | null | undefined): string =>
  rule
    ? [rule.isTrainer ? 'the trainer' : (rule.name ?? 'the name above'), rule.replyTo && `replies to ${rule.replyTo}`]
        .filter(Boolean)
        .join(', ')
    : 'as above';
