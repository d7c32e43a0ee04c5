/** Why a notice was not sent, in a few words. */
export const REASONS: Readonly<Record<string, string>> = {
  finished: 'finished before',
  waived: 'waived',
  withdrawn: 'withdrawn',
  left: 'has left',
  stopped: 'its stop condition holds',
  condition: 'its condition does not hold',
  'after-end': 'after its end',
  superseded: 'overtaken',
  'no-recipient': 'nobody to tell',
  'before-assignment': 'before the assignment',
  'moment-passed': 'its moment had passed',
  'switched-off': 'step switched off',
  leave: 'on leave',
  'daily-limit': 'enough messages that day',
  unreachable: 'mail comes back',
  'missing-value': 'a value is missing',
  extended: 'due date moved',
  'plan-changed': 'plan changed',
  bounced: 'address refused',
  'gave-up': 'given up',
  undone: 'taken back',
  replaced: 'took place otherwise',
  'no-certificate': 'no certificate',
  declined: 'declined',
  renewed: 'renewed by then',
  'by-hand': 'skipped by hand',
  'on-hold': 'somebody holds it',
  'taken-up': 'taken up',
  'let-pass': 'let pass when a hold ended',
};

/** Of a person and a step, or of a person and all that is sent to them: what became of it, the best first. */
export const BECAME = ['told', 'bounced', 'failed', 'held', 'ahead', 'skipped', 'none'] as const;
export type Became = (typeof BECAME)[number];

/** Why somebody was not told. @param because what held it back, where that is known */
export function tellUntold(told: Became, because: string | null): string {
  const reason = because === null ? null : (REASONS[because] ?? because);
  switch (told) {
    case 'told':
      return 'told';
    case 'bounced':
      return 'it came back';
    case 'failed':
      return 'it could not be brought';
    case 'held':
      return `waits: ${reason ?? 'held'}`;
    case 'ahead':
      return 'still to come';
    case 'skipped':
      return `not sent: ${reason ?? 'skipped'}`;
    case 'none':
      return because === null
        ? 'nothing fell due yet'
        : `${reason === because ? because : reason!.replace(/ before$/, '')} before anything fell due`;
  }
}
