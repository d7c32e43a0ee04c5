import { partsOfMessage, templateFault } from '../messages/template.ts';
import { isKnownRole, ROLE_WORDS } from '../people/role.ts';
import { isHandStep } from './by-hand.ts';
import type { PlanStep } from './standard.ts';
import { stepFault } from './step.ts';

/** What is wrong with the steps of a draft: timing, unknown merge fields, ids that stand twice. */
export function planFaults(steps: readonly PlanStep[]): { step: string; message: string }[] {
  const faults: { step: string; message: string }[] = [];
  const seen = new Set<string>();
  for (const step of steps) {
    const fault = stepFault(step) ?? templateFault(step.message);
    const nobody = [...step.to, ...(step.copies?.to ?? [])].find((role) => !isKnownRole(role));
    if (nobody !== undefined) faults.push({ step: step.id, message: `“${step.name}”: it goes to “${nobody}”; expected ${ROLE_WORDS}.` });
    if (isHandStep(step.id) || step.anchor.letter !== undefined)
      faults.push({ step: step.id, message: `“${step.name}”: its id or its anchor is one of a letter by hand, which stands in no plan.` });
    if (step.gather === 'per day' && partsOfMessage(step.message).length > 0)
      faults.push({
        step: step.id,
        message: `“${step.name}”: it is gathered, and tells of several people in one message; a part of its text for some of them only cannot be in it.`,
      });
    if (fault) faults.push({ step: step.id, message: fault.startsWith('"') ? fault : `“${step.name}”: ${fault}` });
    if (seen.has(step.id)) faults.push({ step: step.id, message: `“${step.name}”: its id ${step.id} stands more than once.` });
    seen.add(step.id);
  }
  return faults;
}
