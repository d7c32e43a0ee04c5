import { gapsIn, tellQuestion, type Question, type QuizChoice } from '@nudrik/core';
import { cleanPage } from '../courses/page.ts';

export const QTI_SPACE = 'http://www.imsglobal.org/xsd/imsqtiasi_v3p0';

// what XML cannot hold is left out: nobody writes it on purpose

const BARRED = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g;
export const escaped = (text: string): string => text.replace(BARRED, '').replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;').replace(/[\n\r\t]/g, (sign) => `&#${sign.charCodeAt(0)};`); // prettier-ignore

const declared = (id: string, cardinality: string, type: string, right: readonly string[], more = ''): string =>
  `<qti-response-declaration identifier="${id}" cardinality="${cardinality}" base-type="${type}">${
    right.length > 0 ? `<qti-correct-response>${right.map((value) => `<qti-value>${escaped(value)}</qti-value>`).join('')}</qti-correct-response>` : ''
  }${more}</qti-response-declaration>`; // prettier-ignore

/** What is accepted in a text, each earning the same. */
const mapped = (accepted: readonly string[], byCase: boolean): string =>
  `<qti-mapping default-value="0">${accepted.map((text) => `<qti-map-entry map-key="${escaped(text)}" mapped-value="1" case-sensitive="${byCase}"/>`).join('')}</qti-mapping>`;

const nameOf = (i: number): string => `C${i + 1}`;
const choice = ({ text, words }: QuizChoice, i: number): string =>
  `<qti-simple-choice identifier="${nameOf(i)}">${escaped(text)}${words ? `<qti-feedback-inline outcome-identifier="CHOSEN" identifier="${nameOf(i)}" show-hide="show">${escaped(words)}</qti-feedback-inline>` : ''}</qti-simple-choice>`;

interface Parts {
  declarations: string;
  interaction: string;
  processing: string;
}
const TEMPLATE = 'https://purl.imsglobal.org/spec/qti/v3p0/rptemplates';
const byTemplate = (name: 'match_correct' | 'map_response'): string => `<qti-response-processing template="${TEMPLATE}/${name}"/>`;

function partsOf(question: Question): Parts {
  switch (question.kind) {
    case 'one':
    case 'several': {
      const right = question.choices.flatMap(({ isRight }, i) => (isRight ? [nameOf(i)] : []));
      const isOne = question.kind === 'one';
      return {
        declarations: declared('RESPONSE', isOne ? 'single' : 'multiple', 'identifier', right),
        interaction: `<qti-choice-interaction response-identifier="RESPONSE" max-choices="${isOne ? 1 : 0}">${question.choices.map(choice).join('')}</qti-choice-interaction>`,
        processing: byTemplate('match_correct'),
      };
    }
    case 'truth':
      return {
        declarations: declared('RESPONSE', 'single', 'identifier', [question.isTrue ? 'true' : 'false']),
        interaction:
          '<qti-choice-interaction class="truth" response-identifier="RESPONSE" max-choices="1"><qti-simple-choice identifier="true">true</qti-simple-choice><qti-simple-choice identifier="false">false</qti-simple-choice></qti-choice-interaction>',
        processing: byTemplate('match_correct'),
      };
    case 'text':
      return {
        declarations: declared('RESPONSE', 'single', 'string', question.accepted.slice(0, 1), mapped(question.accepted, question.byCase)),
        interaction: question.isMarked
          ? '<qti-extended-text-interaction response-identifier="RESPONSE"/>'
          : '<p><qti-text-entry-interaction response-identifier="RESPONSE"/></p>',
        processing: byTemplate('map_response'),
      };
    case 'number':
      return {
        declarations: declared('RESPONSE', 'single', 'float', [String(question.value)]),
        interaction: `<p><qti-text-entry-interaction response-identifier="RESPONSE"/> ${escaped(question.unit)}</p>`,
        processing: `<qti-response-processing><qti-response-condition><qti-response-if><qti-equal tolerance-mode="absolute" tolerance="${question.tolerance} ${question.tolerance}"><qti-variable identifier="RESPONSE"/><qti-correct identifier="RESPONSE"/></qti-equal><qti-set-outcome-value identifier="SCORE"><qti-base-value base-type="float">${question.points}</qti-base-value></qti-set-outcome-value></qti-response-if></qti-response-condition></qti-response-processing>`,
      };
    case 'order':
      return {
        declarations: declared(
          'RESPONSE',
          'ordered',
          'identifier',
          question.items.map((_, i) => nameOf(i)),
        ),
        interaction: `<qti-order-interaction response-identifier="RESPONSE" shuffle="true">${question.items.map((text, i) => `<qti-simple-choice identifier="${nameOf(i)}">${escaped(text)}</qti-simple-choice>`).join('')}</qti-order-interaction>`,
        processing: byTemplate('match_correct'),
      };
    case 'match': {
      const set = (side: 'left' | 'right'): string => `<qti-simple-match-set>${question.pairs.map((pair, i) => `<qti-simple-associable-choice identifier="${side === 'left' ? 'L' : 'R'}${i + 1}" match-max="1">${escaped(pair[side])}</qti-simple-associable-choice>`).join('')}</qti-simple-match-set>`; // prettier-ignore
      return {
        declarations: declared(
          'RESPONSE',
          'multiple',
          'directedPair',
          question.pairs.map((_, i) => `L${i + 1} R${i + 1}`),
        ),
        interaction: `<qti-match-interaction response-identifier="RESPONSE" shuffle="true" max-associations="${question.pairs.length}">${set('left')}${set('right')}</qti-match-interaction>`,
        processing: byTemplate('match_correct'),
      };
    }
    case 'gaps': {
      const gaps = gapsIn(question.body);
      let n = 0;
      const text = question.body.split(/(\[\[[^\]]*\]\])/).map((part) => (part.startsWith('[[') && part.endsWith(']]') ? `<qti-text-entry-interaction response-identifier="RESPONSE${++n}"/>` : escaped(part))).join(''); // prettier-ignore
      return {
        declarations: gaps
          .map((gap, i) => declared(`RESPONSE${i + 1}`, 'single', 'string', gap.slice(0, 1), mapped(gap, question.byCase)))
          .join(''),
        interaction: `<p class="gaps">${text}</p>`,
        processing: `<qti-response-processing><qti-set-outcome-value identifier="SCORE"><qti-sum>${gaps.map((_, i) => `<qti-map-response identifier="RESPONSE${i + 1}"/>`).join('')}</qti-sum></qti-set-outcome-value></qti-response-processing>`,
      };
    }
  }
}

const said = (identifier: string, words: string): string => words === '' ? '' : `<qti-modal-feedback outcome-identifier="FEEDBACK" identifier="${identifier}" show-hide="show"><qti-content-body>${escaped(words)}</qti-content-body></qti-modal-feedback>`; // prettier-ignore

/** What a question has that no item has a place for, as attributes that others pass over. */
function ours(question: Question): string {
  const loose = question.kind === 'text' || question.kind === 'gaps' ? question : null;
  return [
    question.partial && ' data-partial="true"',
    question.always && ' data-always="true"',
    question.picture && ` data-picture="${question.picture}"`,
    loose?.byCase && ' data-by-case="true"',
    loose?.byAccent && ' data-by-accent="true"',
    question.kind === 'number' && question.unit && ` data-unit="${escaped(question.unit)}"`,
  ]
    .filter(Boolean)
    .join('');
}

/**
 * One question as an item. Its text is well-formed, since it was cleaned.
 * Source: 1EdTech QTI 3.0, ASI information model (assessment item)
 */
export function writeItem(question: Question): string {
  const { declarations, interaction, processing } = partsOf(question);
  return `<?xml version="1.0" encoding="UTF-8"?>
<qti-assessment-item xmlns="${QTI_SPACE}" identifier="${question.id}" title="${escaped(tellQuestion(question).slice(0, 120) || 'Question')}" adaptive="false" time-dependent="false" xml:lang="en" xml:space="preserve">
${declarations}<qti-outcome-declaration identifier="SCORE" cardinality="single" base-type="float" normal-maximum="${question.points}"><qti-default-value><qti-value>0</qti-value></qti-default-value></qti-outcome-declaration>
<qti-item-body><div class="question"${ours(question)}>${cleanPage(question.text)}</div>${interaction}</qti-item-body>
${processing}${said('RIGHT', question.whenRight)}${said('WRONG', question.whenWrong)}
</qti-assessment-item>
`;
}

/** The manifest of a package of items. */
export const writeQtiManifest = (ids: readonly string[], media: readonly string[]): string => `<?xml version="1.0" encoding="UTF-8"?>
<manifest xmlns="http://www.imsglobal.org/xsd/qti/qtiv3p0/imscp_v1p1" identifier="quiz"><metadata><schema>QTI Package</schema><schemaversion>3.0.0</schemaversion></metadata><organizations/><resources>
${ids.map((id) => `<resource identifier="${id}" type="imsqti_item_xmlv3p0" href="items/${id}.xml"><file href="items/${id}.xml"/></resource>`).join('\n')}
${media.map((path, i) => `<resource identifier="media${i + 1}" type="webcontent" href="${path}"><file href="${path}"/></resource>`).join('\n')}
</resources></manifest>
`;
