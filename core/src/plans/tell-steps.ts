import type { Names } from '../conditions/catalogue.ts';
import { tellCondition } from '../conditions/condition.ts';
import { partsOf, plainWords } from '../messages/body.ts';
import { tellCopies } from '../messages/copies.ts';
import { tellSender } from '../messages/sender.ts';
import { inLanguage, textsOf } from '../messages/texts.ts';
import { tellRole } from '../people/role.ts';
import { WAY_WORDS } from '../people/ways.ts';
import type { PlanStep } from './standard.ts';
import { tellWhen, windowOf } from './step.ts';

const WINDOWS = { exact: 'exactly then', later: 'in the send window, or later', earlier: 'in the send window, or earlier' };

/** Steps in words, line by line, by what they are called: for comparing two versions of a plan. */
export function tellSteps(steps: readonly PlanStep[], names: Names): Record<string, string> {
  const words: Record<string, string> = {};
  for (const step of steps) {
    // two of one name are told apart by their number
    let name = step.name;
    for (let n = 2; name in words; n++) name = `${step.name} (${n})`;
    words[name] = [
      `${step.on ? 'on' : 'off'}, ${step.kind}: ${tellWhen(step)}, ${WINDOWS[windowOf(step)]}`,
      `to ${step.to.map((role) => tellRole(role, (id) => names.person(id))).join(', ')}${step.gather === 'per day' ? ', gathered' : ''}`,
      step.by ? `reaches them ${WAY_WORDS[step.by]}` : '',
      step.mayDecline ? 'may be declined by who reads it' : '',
      step.endsOn ? `never after ${step.endsOn}` : '',
      step.onlyIf ? `only if ${tellCondition(step.onlyIf, names)}` : '',
      step.stopWhen ? `stops when ${tellCondition(step.stopWhen, names)}` : '',
      step.sender ? `comes from ${tellSender(step.sender)}` : '',
      step.copies ? tellCopies(step.copies, (role) => tellRole(role, (id) => names.person(id))) : '',
      ...textsOf(step.message).flatMap(({ language, text }) =>
        [
          text.subject,
          plainWords(text.body),
          ...partsOf(text.body).map(
            ({ attrs }) => `part of the text only if ${attrs.onlyIf ? tellCondition(attrs.onlyIf, names) : 'nothing is said yet'}`,
          ),
          text.button ? `[${text.button}]` : '',
          text.plain ? `as plain text: ${text.plain}` : '',
        ].map((line) => line && inLanguage(language) + line),
      ),
      step.message.withDate ? 'with the due date, for a calendar' : '',
      step.message.withCertificate ? 'with the certificate, as a PDF' : '',
      step.message.withRecord ? 'with the record of the sign-off, as a PDF' : '',
      ...(step.message.files ?? []).map((file) =>
        file.as === 'attached'
          ? `with file ${file.handout}, attached`
          : `with file ${file.handout}, to download for ${file.hours} hours${file.times === null ? '' : `, ${file.times} times`}${file.mayAsk ? ', may be asked for anew' : ''}`,
      ),
    ]
      .filter(Boolean)
      .join('\n');
  }
  return words;
}
