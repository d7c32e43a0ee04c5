import type { Template } from '../messages/template.ts';
import { bareStep, paragraphs, type PlanStep } from './standard.ts';

/** What somebody wrote by hand to people who have courses open: it goes once, when they are reminded with it. */
export interface HandLetter {
  id: string;
  /** what the ledger calls it */
  name: string;
  message: Template;
}

const PREFIX = 'hand-';

/** The ids of such steps, which no step of a plan may have. */
export const isHandStep = (id: string): boolean => id.startsWith(PREFIX);
export const handStepId = (letter: string): string => PREFIX + letter;

/** How long somebody who was told of a course is left alone, unless they are included on purpose: 48 hours. */
export const LEFT_ALONE_MS = 48 * 3_600_000;

/** A letter by hand as a step like any other: same order of checks, same ledger, same why. It hangs on being reminded with it. */
export const handStep = ({ id, name, message }: HandLetter): PlanStep =>
  bareStep(handStepId(id), {
    name,
    kind: 'reminder',
    anchor: { event: 'reminded', letter: id },
    offset: { amount: 0, unit: 'minutes' },
    message,
  });

/** What a message to a group begins with: its author goes on from there. */
export const GROUP_TEXT: Template = { subject: 'About {course}', body: 'Hello {given name},', button: 'Open the course' };

/** The text that a reminder by hand begins with. */
export const HAND_TEXT: Template = {
  subject: '{course}: not finished yet',
  body: paragraphs(
    'Hello {given name},',
    '{course} is waiting for you: {units left} to go. Due {time to due}: {due}.',
    'If something keeps you from it, just reply to this message.',
  ),
  button: 'Open the course',
};
