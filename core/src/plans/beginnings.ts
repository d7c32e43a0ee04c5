import { bareStep, paragraphs, STANDARD_PLAN, type PlanStep } from './standard.ts';

/** What a new step begins as: something that people often want, to be changed at will. */
export interface Beginning {
  id: string;
  /** in the list of them */
  words: string;
  make(id: string): PlanStep;
}

/** A step is switched on by whoever has read it. */
const blank = (id: string, rest: Omit<Parameters<typeof bareStep>[1], 'offset'> & Partial<Pick<PlanStep, 'offset'>>): PlanStep =>
  bareStep(id, { offset: { amount: 0, unit: 'minutes' }, ...rest, on: false });

/** One of the standard plan, as a step of its own. */
function likeStandard(standard: string, words: string): Beginning {
  const step = STANDARD_PLAN.find(({ id }) => id === standard)!;
  return { id: standard, words, make: (id) => ({ ...structuredClone(step), on: false, id }) };
}

const beginning = (id: string, words: string, rest: Parameters<typeof blank>[1]): Beginning => ({
  id,
  words,
  make: (step) => structuredClone(blank(step, rest)),
});

export const BEGINNINGS: readonly Beginning[] = [
  likeStandard('invitation', 'Welcome, when it is assigned'),
  likeStandard('onboarding', 'Getting started, days after it is assigned'),
  beginning('now-open', 'Now open, when a unit opens', {
    name: 'Now open',
    kind: 'onboarding',
    anchor: { event: 'unit-opened' },
    onlyIf: { not: { state: ['finished'] } },
    message: {
      subject: '{course}: the next part is open',
      body: paragraphs('Hello {given name},', 'The next part of {course} is open. You have done {units done}; it is due {due}.'),
      button: 'Open the course',
    },
  }),
  likeStandard('two-days-to-go', 'Reminder, hours before it is due'),
  likeStandard('late', 'Late, after it was due, repeating'),
  likeStandard('to-manager', 'To the manager, after it was due'),
  beginning('idle', 'Nothing done for a week', {
    name: 'Nothing done for a week',
    kind: 'reminder',
    anchor: { event: 'idle' },
    offset: { amount: 7, unit: 'days' },
    at: '09:00',
    onlyIf: { not: { state: ['finished'] } },
    message: {
      subject: '{course}: go on where you stopped',
      body: paragraphs('Hello {given name},', 'You have done {units done} of {course}. It is due {time to due}, on {due}.'),
      button: 'Go on',
    },
  }),
  beginning('failed', 'On failing a quiz', {
    name: 'Quiz not passed',
    kind: 'follow-up',
    anchor: { event: 'quiz-failed' },
    message: {
      subject: '{quiz}: not passed yet',
      body: paragraphs('Hello {given name},', 'You tried {quiz} of {course}: {quiz result}. Read the unit again, and try once more.'),
      button: 'Open the course',
    },
  }),
  beginning('to-sign-off', 'Ready to be signed off, to the manager', {
    name: 'Ready to be signed off',
    kind: 'follow-up',
    anchor: { event: 'unit-finished' },
    at: '09:00',
    to: ['manager'],
    gather: 'per day',
    onlyIf: { not: { state: ['finished'] } },
    message: {
      subject: '{course}: ready to be signed off',
      body: {
        type: 'doc',
        content: [
          { type: 'paragraph', content: [{ type: 'text', text: 'Hello ' }, { type: 'field', attrs: { name: 'recipient', fallback: null } }, { type: 'text', text: ',' }] },
          { type: 'paragraph', content: [{ type: 'text', text: 'These people can be signed off. Your list opens on a phone, and keeps what you enter until it has gone through.' }] },
          { type: 'people', attrs: { columns: ['person', 'department', 'due'] } },
          { type: 'button', attrs: { href: 'to:sign-off' }, content: [{ type: 'text', text: 'Open the list' }] },
        ],
      },
      button: null,
    },
  }), // prettier-ignore
  beginning('finished', 'On finishing', {
    name: 'Finished',
    kind: 'follow-up',
    anchor: { event: 'finished' },
    message: {
      subject: 'You finished {course}',
      body: paragraphs('Hello {given name},', 'You finished {course} on {finished}. Thank you.'),
      button: 'Open the course',
    },
  }),
  likeStandard('certificate', 'The certificate'),
  beginning('expiring', 'The certificate expires soon', {
    name: 'Expires soon',
    kind: 'follow-up',
    anchor: { event: 'expires' },
    offset: { amount: -30, unit: 'days' },
    at: '09:00',
    message: {
      subject: '{course}: your certificate expires {certificate expiry}',
      body: paragraphs('Hello {given name},', 'Your certificate {certificate serial} for {course} expires {certificate expiry}.'),
      button: 'Open the course',
    },
  }),
  beginning('nothing', 'An empty step', {
    name: 'A new step',
    kind: 'reminder',
    anchor: { event: 'due' },
    offset: { amount: -2, unit: 'days' },
    at: '09:00',
    onlyIf: { not: { state: ['finished'] } },
    message: { subject: '{course}', body: paragraphs('Hello {given name},', ''), button: 'Open the course' },
  }),
];
