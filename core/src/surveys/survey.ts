import { tellAmount } from '../time/words.ts';

/** How a question of a survey is answered: one of several, several of them, 1 to 5, or in words. */
export const SURVEY_KINDS = ['one', 'several', 'scale', 'text'] as const;
export type SurveyKind = (typeof SURVEY_KINDS)[number];
export const SURVEY_KIND_WORDS: Readonly<Record<SurveyKind, string>> = { one: 'one of', several: 'several of', scale: '1 to 5', text: 'in words' }; // prettier-ignore

export interface SurveyQuestion {
  id: string;
  kind: SurveyKind;
  text: string;
  /** what may be chosen */
  choices: string[];
  /** what 1 and 5 mean */
  low: string;
  high: string;
  isRequired: boolean;
}

/** Questions without right answers. Anonymous means that an answer is not stored with whoever gave it. */
export interface Survey {
  isAnonymous: boolean;
  questions: SurveyQuestion[];
}
export const NEW_SURVEY: Survey = { isAnonymous: true, questions: [] };

/** What somebody answered: what they chose, as it reads, a number from 1 to 5, or their words. */
export type SurveyAnswer = string | readonly string[] | number | null;
export type SurveyAnswers = Readonly<Record<string, SurveyAnswer>>;

export const SCALE = [1, 2, 3, 4, 5] as const;

/** Fewer answers of an anonymous survey are not shown: one could tell who gave them. */
export const FEWEST = 3;

export const newSurveyQuestion = (kind: SurveyKind, id: string): SurveyQuestion => ({ id, kind, text: '', choices: kind === 'one' || kind === 'several' ? ['', ''] : [], low: '', high: '', isRequired: false }); // prettier-ignore

/** What is missing in a question, in a clause, or null. */
export function surveyQuestionFault({ kind, text, choices }: SurveyQuestion): string | null {
  if (text.trim() === '') return 'asks nothing yet';
  if (kind !== 'one' && kind !== 'several') return null;
  const words = choices.map((choice) => choice.trim());
  if (words.length < 2 || words.includes('')) return 'needs two choices at least, each with its words';
  return new Set(words).size < words.length ? 'has the same choice twice' : null;
}

/** What keeps a survey from being answered, each in a clause. */
export function surveyFaults({ questions }: Survey): string[] {
  if (questions.length === 0) return ['has no question yet'];
  return questions.flatMap((question, i) => {
    const fault = surveyQuestionFault(question);
    return fault ? [`question ${i + 1} ${fault}`] : [];
  });
}

/** An answer as it is kept: what the question offers, and nothing else; null is none. */
export function readSurveyAnswer({ kind, choices }: SurveyQuestion, answer: unknown): SurveyAnswer {
  switch (kind) {
    case 'one':
      return typeof answer === 'string' && choices.includes(answer) ? answer : null;
    case 'several': {
      const chosen = Array.isArray(answer) ? choices.filter((choice) => answer.includes(choice)) : [];
      return chosen.length > 0 ? chosen : null;
    }
    case 'scale':
      return SCALE.find((step) => step === answer) ?? null;
    case 'text':
      return typeof answer === 'string' && answer.trim() !== '' ? answer.trim() : null;
  }
}

/** What of a survey was answered, and which questions that ask for it were not (counted from 1). */
export function readSurveyAnswers(
  { questions }: Survey,
  given: Readonly<Record<string, unknown>>,
): { answers: Record<string, SurveyAnswer>; missing: number[] } {
  const answers: Record<string, SurveyAnswer> = {};
  const missing: number[] = [];
  questions.forEach((question, i) => {
    const answer = readSurveyAnswer(question, given[question.id]);
    if (answer !== null) answers[question.id] = answer;
    else if (question.isRequired) missing.push(i + 1);
  });
  return { answers, missing };
}

/** What came of one question. */
export interface SurveyFigures {
  answered: number;
  /** how often each was chosen; what is offered no more stands last */
  counts: { words: string; count: number }[];
  /** of a scale */
  mean: number | null;
  texts: { text: string; row: number }[];
}

/** @param rows the answers of each who answered, in any order */
export function surveyFigures({ id, kind, choices }: SurveyQuestion, rows: readonly SurveyAnswers[]): SurveyFigures {
  const given = rows.map((row) => row[id] ?? null);
  const answered = given.filter((answer) => answer !== null).length;
  if (kind === 'text') return { answered, counts: [], mean: null, texts: given.flatMap((answer, row) => (typeof answer === 'string' ? [{ text: answer, row }] : [])) }; // prettier-ignore
  const offered = kind === 'scale' ? SCALE.map(String) : choices;
  const counts = new Map(offered.map((words) => [words, 0]));
  for (const answer of given)
    for (const one of answer === null ? [] : Array.isArray(answer) ? (answer as readonly string[]) : [String(answer as string | number)])
      counts.set(one, (counts.get(one) ?? 0) + 1);
  const numbers = kind === 'scale' ? given.filter((answer): answer is number => typeof answer === 'number') : [];
  return {
    answered,
    counts: [...counts].map(([words, count]) => ({ words, count })),
    mean: numbers.length > 0 ? numbers.reduce((sum, one) => sum + one, 0) / numbers.length : null,
    texts: [],
  };
}

/** "4 questions, anonymous" */
export const tellSurvey = ({ questions, isAnonymous }: Survey): string => `${tellAmount(questions.length, 'questions')}, ${isAnonymous ? 'anonymous' : 'with your name'}`; // prettier-ignore

/** An answer as one reads it; empty where nothing was answered. */
export function tellSurveyAnswer({ kind, low, high }: SurveyQuestion, answer: SurveyAnswer): string {
  if (answer === null) return '';
  if (kind !== 'scale') return typeof answer === 'object' ? answer.join('; ') : String(answer);
  const ends = low && high ? `, where 1 is “${low}” and 5 is “${high}”` : '';
  return `${String(answer)} of 5${ends}`;
}
