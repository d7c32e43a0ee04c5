import type { Account, LookedQuery, LookedView } from '@nudrik/contract';
import { FIGURE_WORDS, tellFilters } from '@nudrik/core';
import type { Deps } from '../deps.ts';
import { houseToday } from '../people/today.ts';
import { keepLook, listLooks, listWhose } from './looked.repo.ts';

type Query = Readonly<Record<string, unknown>>;
type Told = (answer: never, query: Query) => string;

/** Filters behind what is looked at. */
const told = (query: Query): string => {
  const words = tellFilters(query);
  return words === '' ? '' : ` (${words})`;
};

const course = ({ course: { title } }: { course: { title: string } }): string => title;

/** What an auditor looks at, by where it is asked for, and what it is called. */
export const LOOKED: Readonly<Record<string, Told>> = {
  '/api/people': (_: never, query) => `People${told(query)}`,
  '/api/people/:id': ({ person: { name } }: { person: { name: string } }) => name,
  '/api/courses/:id': ({ title }: { title: string }) => `The course ${title}`,
  '/api/requirements/day': (_: never, query) => `Requirements${told(query)}`,
  '/api/requirements/:id': ({ name }: { name: string }) => `The requirement “${name}”`,
  '/api/plans/:courseId': (answer: { course: { title: string } }) => `The plan of ${course(answer)}`,
  '/api/matrix': (_: never, query) => `The matrix${told(query)}`,
  '/api/matrix/cells/:person/:course': (answer: { person: { name: string }; course: { title: string } }) => `${answer.person.name}, ${course(answer)}`,
  '/api/reports/courses/:id': (answer: { course: { title: string } }, query) => `The report of ${course(answer)}${told(query)}`,
  '/api/reports/courses/:id/notified': (answer: { course: { title: string } }, query) => `Who was notified, ${course(answer)}${told(query)}`,
  '/api/reports/courses/:id/finished': (answer: { course: { title: string } }, query) => `Who finished, ${course(answer)}${told(query)}`,
  '/api/figures/:name': ({ name }: { name: keyof typeof FIGURE_WORDS }, query) => `${FIGURE_WORDS[name].title}${told(query)}`,
  '/api/notices': (_: never, query) => `The ledger${told(query)}`,
  '/api/notices/:id': (answer: { stepName: string; person: { name: string } }) => `The notice ${answer.stepName}, ${answer.person.name}`,
  '/api/certificates': (_: never, query) => `Certificates${told(query)}`,
  '/api/conversations/:id': (answer: { subject: string; person: { name: string } }) => `The conversation “${answer.subject}” with ${answer.person.name}`,
  '/api/seals': () => 'Seals',
  '/api/keeping': () => 'How long it is kept, and what was erased',
  '/api/evidence/sample': ({ words, of }: { words: string; of: number }) => `Sample: ${words}, of ${of}`,
}; // prettier-ignore

/** What a look is called, or null where it is none that is kept. What cannot be told does not keep the answer back. */
export function tellLook(path: string, answer: unknown, query: Query): string | null {
  const tell = LOOKED[path];
  if (!tell) return null;
  try {
    return tell(answer as never, query).slice(0, 400);
  } catch {
    return `Something at ${path}`;
  }
}

/** Keeps that somebody looked at something, or took a file: once a day, with how often. */
export async function look(deps: Deps, account: Account, what: 'looked' | 'took', words: string): Promise<void> {
  await keepLook(deps.db, { account: account.id, byWhom: account.name, what, words, day: await houseToday(deps), at: new Date(deps.clock.now()) });
} // prettier-ignore

const NAME = /^(inline|attachment); filename\*=UTF-8''(.+)$/;
/** The file that an answer was, where it is one that leaves the house: a download; of an auditor also a document that is shown. */
export function takenFile(disposition: unknown, type: unknown, { role }: Pick<Account, 'role'>): string | null {
  const [, place, name] = NAME.exec(String(disposition)) ?? [];
  return name && (place === 'attachment' || (type === 'application/pdf' && role === 'auditor'))
    ? decodeURIComponent(name).slice(0, 400)
    : null;
}

/** What was looked at and taken: an auditor's own, and to administrators everybody's. */
export async function lookedView({ db }: Deps, account: Account, query: LookedQuery): Promise<LookedView> {
  const own = account.role === 'administrator' ? null : account.id;
  const { rows, further } = await listLooks(db, own, query);
  return { rows, further, whose: await listWhose(db, own) };
}
