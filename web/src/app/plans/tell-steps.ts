import type { PlanStepView } from '@nudrik/contract';
import { tellCondition, tellRole, tellWhen, windowOf, type Names, type Step } from '@nudrik/core';

const WINDOWS = { exact: 'exactly then', later: 'in the send window, or later', earlier: 'in the send window, or earlier' };

/** Steps in words, by what they are called, for comparing two versions of a plan. */
export function tellSteps(steps: readonly PlanStepView[], names: Names): Record<string, string> {
  const words: Record<string, string> = {};
  for (const view of steps) {
    const step = view as Step & PlanStepView;
    // two of one name are told apart by their number
    let name = step.name;
    for (let n = 2; name in words; n++) name = `${step.name} (${n})`;
    words[name] = [
      `${step.on ? 'on' : 'off'}, ${step.kind}: ${tellWhen(step)}, ${WINDOWS[windowOf(step)]}`,
      `to ${step.to.map((role) => tellRole(role, (id) => names.person(id))).join(', ')}${step.gather === 'per day' ? ', gathered' : ''}`,
      step.endsOn ? `never after ${step.endsOn}` : '',
      step.onlyIf ? `only if ${tellCondition(step.onlyIf, names)}` : '',
      step.stopWhen ? `stops when ${tellCondition(step.stopWhen, names)}` : '',
      step.message.subject,
      step.message.body,
      step.message.button ? `[${step.message.button}]` : '',
    ]
      .filter(Boolean)
      .join('\n');
  }
  return words;
}
