import type { Leaf } from '../conditions/catalogue.ts';
import { leavesOf } from '../conditions/condition.ts';
import type { Copies } from '../messages/copies.ts';
import type { SenderRule } from '../messages/sender.ts';
import { partsOfMessage, type Template } from '../messages/template.ts';
import type { Step } from './step.ts';

/** A step as the plan stores it: its timing and its message. */
export interface PlanStep extends Step {
  message: Template;
  /** who it comes from; what it leaves open, or where there is none, the course says */
  sender?: SenderRule | null;
  /** who is told of what it sent */
  copies?: Copies | null;
}

/** The leaves of everything that a step asks: whom it goes to only, when it stops, and who reads the parts of its text. */
export const leavesOfStep = ({ onlyIf, stopWhen, message }: PlanStep): Leaf[] =>
  [onlyIf, stopWhen, ...partsOfMessage(message).map(({ attrs }) => attrs.onlyIf)].flatMap((condition) =>
    condition ? leavesOf(condition) : [],
  );

/** Whether a step goes in a course: it is on, and of a course that certifies nobody no certificate is told of. */
export const goesIn = (certificate: 'issued' | 'none' | null, { on, kind }: PlanStep): boolean =>
  on && !(kind === 'certificate' && certificate === 'none');

type Own = 'name' | 'kind' | 'anchor' | 'offset' | 'message';

/** A step with what most steps have in common: to the employee, once, alone, in the send window, always. */
export const bareStep = (id: string, rest: Omit<Partial<PlanStep>, 'id'> & Pick<PlanStep, Own>): PlanStep => ({
  id,
  on: true,
  at: null,
  window: null,
  repeat: null,
  to: ['employee'],
  gather: 'none',
  endsOn: null,
  onlyIf: null,
  stopWhen: null,
  ...rest,
});
const step = (id: string, name: string, rest: Omit<Parameters<typeof bareStep>[1], 'name'>): PlanStep => bareStep(id, { name, ...rest });

/** A text of several paragraphs: an empty line begins the next. */
export const paragraphs = (...list: readonly string[]): string => list.join('\n\n');

const NOT_FINISHED = { not: { state: ['finished'] } } as const;

/** The plan that a new course starts with; data like any other plan, to be changed at will. */
export const STANDARD_PLAN: readonly PlanStep[] = [
  step('invitation', 'Invitation', {
    kind: 'invitation',
    anchor: { event: 'assigned' },
    offset: { amount: 0, unit: 'days' },
    message: {
      subject: '{course}: yours to finish by {due}',
      body: paragraphs(
        'Hello {given name},',
        '{course} has been assigned to you. Please finish it by {due}.',
        '{course summary}',
        'The button opens the course as you; no password is needed. You can stop and go on at any time.',
      ),
      button: 'Open the course',
    },
  }),
  step('onboarding', 'Getting started', {
    kind: 'onboarding',
    anchor: { event: 'assigned' },
    offset: { amount: 2, unit: 'days' },
    at: '09:00',
    onlyIf: NOT_FINISHED,
    stopWhen: { state: ['finished'] },
    message: {
      subject: 'Getting started with {course}',
      body: paragraphs(
        'Hello {given name},',
        '{course} was assigned to you on {assigned}. You have done {units done} so far.',
        'A good way to begin: set aside half an hour, open the first unit, and mark each one done as you go. It is due {due}.',
      ),
      button: 'Open the course',
    },
  }),
  step('two-days-to-go', 'Two days to go', {
    kind: 'reminder',
    anchor: { event: 'due' },
    offset: { amount: -48, unit: 'hours' },
    window: 'exact',
    onlyIf: NOT_FINISHED,
    stopWhen: { state: ['finished'] },
    message: {
      subject: '{course} is due {time to due}',
      body: paragraphs('Hello {given name},', '{course} is due {time to due}, on {due}. You have {units left} to go.'),
      button: 'Open the course',
    },
  }),
  step('late', 'Late', {
    kind: 'late',
    anchor: { event: 'due' },
    offset: { amount: 1, unit: 'working days' },
    at: '09:00',
    repeat: { every: { amount: 3, unit: 'working days' }, times: 4 },
    onlyIf: NOT_FINISHED,
    stopWhen: { state: ['finished'] },
    message: {
      subject: '{course} was due {time to due}',
      body: paragraphs(
        'Hello {given name},',
        '{course} was due on {due}, {time to due}. You have {units left} to go.',
        'If something keeps you from it, just reply to this message.',
      ),
      button: 'Open the course',
    },
  }),
  step('to-manager', 'To the manager', {
    kind: 'manager',
    anchor: { event: 'due' },
    offset: { amount: 3, unit: 'working days' },
    at: '09:00',
    to: ['manager'],
    gather: 'per day',
    onlyIf: NOT_FINISHED,
    stopWhen: { state: ['finished'] },
    message: {
      subject: 'Late with required training: people of yours',
      body: paragraphs(
        'Hello {recipient},',
        'These people of yours have not finished required training and its due date has passed. ' +
          'The last column says what each of them was told; please make sure that they get the time to finish.',
      ),
      button: 'Open my team',
    },
  }),
  step('certificate', 'Certificate', {
    kind: 'certificate',
    anchor: { event: 'finished' },
    offset: { amount: 0, unit: 'days' },
    window: 'exact',
    message: {
      subject: 'Your certificate for {course}',
      body: paragraphs(
        'Hello {given name},',
        'You finished {course} on {finished}. Well done.',
        'Your certificate has the serial {certificate serial}; valid until: {certificate expiry}. ' +
          'Anybody can check it with that serial.',
      ),
      button: 'Open the certificate',
    },
  }),
];
