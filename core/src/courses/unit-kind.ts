import { FILE_KINDS } from '../files/file-kind.ts';
import { NEW_QUIZ, quizFaults, type Quiz } from '../quizzes/quiz.ts';
import { NEW_SIGN_OFF, signOffFaults, type SignOffSheet } from '../sign-offs/sign-off.ts';
import { NEW_SESSIONS, type SessionRules } from '../sessions/session.ts';
import { NEW_SURVEY, surveyFaults, type Survey } from '../surveys/survey.ts';
import { NEW_VIDEO, type Video } from './video.ts';

/** What a unit may carry beside its title. */
export interface UnitContent {
  title: string;
  body: string | null;
  url: string | null;
  fileId: string | null;
  quiz: Quiz | null;
  video: Video | null;
  survey: Survey | null;
  signOff: SignOffSheet | null;
  session: SessionRules | null;
  /** what its file is; unknown where it was not looked up */
  fileType?: string | null;
}
export type UnitField = 'body' | 'url' | 'fileId' | 'quiz' | 'video' | 'survey' | 'signOff' | 'session';

interface UnitKindEntry {
  /** "Add a page" */
  words: string;
  /** the fields that it keeps; the others are emptied when it is saved */
  keeps: readonly UnitField[];
  /** what a new one begins with */
  starts: { body?: string; url?: string; quiz?: Quiz; video?: Video; survey?: Survey; signOff?: SignOffSheet; session?: SessionRules };
  /** what makes it done: the employee's word, a quiz that is passed, a video that was played, a package that says so, a survey that is answered, a supervisor who signs it off */
  doneBy: 'word' | 'passing' | 'playing' | 'package' | 'answering' | 'signing';
  /** what is missing in it, in a sentence, or null */
  fault(unit: UnitContent): UnitFault | null;
}
export interface UnitFault {
  field: UnitField;
  words: string;
}

/** Whether it is an address that a browser can open, and nothing that runs. */
export function isWebAddress(url: string | null): boolean {
  try {
    return url !== null && /^https?:$/.test(new URL(url).protocol) && new URL(url).hostname !== '';
  } catch {
    return false;
  }
}

/** What is wrong with the file of a unit. */
function fileFaultOf(kind: 'file' | 'video' | 'package', { title, fileId, fileType }: UnitContent): UnitFault | null {
  const ask = kind === 'package' ? 'its package (a SCORM zip)' : kind === 'video' ? 'its video (MP4 or WebM)' : 'its file';
  if (!fileId) return { field: 'fileId', words: `“${title}” needs ${ask}: choose one and upload it` };
  const found = fileType ? FILE_KINDS[fileType] : undefined;
  return found && kind !== 'file' && found.makes !== kind
    ? { field: 'fileId', words: `“${title}” needs ${ask}, and its file is ${found.words}` }
    : null;
}

const entry = (made: UnitKindEntry): UnitKindEntry => made;

/** The catalogue of unit kinds. A new one is added here, and its form in the web. */
const ENTRIES = {
  page: entry({ words: 'page', keeps: ['body'], starts: { body: '' }, doneBy: 'word', fault: () => null }),
  link: entry({
    words: 'link',
    keeps: ['url'],
    starts: { url: 'https://' },
    doneBy: 'word',
    fault: ({ title, url }) =>
      isWebAddress(url) ? null : { field: 'url', words: `“${title}” is a link and needs a web address beginning with http:// or https://` },
  }),
  file: entry({
    words: 'file',
    keeps: ['fileId'],
    starts: {},
    doneBy: 'word',
    fault: (unit) => fileFaultOf('file', unit),
  }),
  video: entry({
    words: 'video',
    keeps: ['fileId', 'video'],
    starts: { video: NEW_VIDEO },
    doneBy: 'playing',
    fault: (unit) =>
      fileFaultOf('video', unit) ??
      (unit.video?.seconds ? null : { field: 'video', words: `How long “${unit.title}” is was not read yet: open it once, so that it is` }),
  }),
  package: entry({ words: 'package', keeps: ['fileId'], starts: {}, doneBy: 'package', fault: (unit) => fileFaultOf('package', unit) }),
  quiz: entry({
    words: 'quiz',
    keeps: ['quiz'],
    starts: { quiz: NEW_QUIZ },
    doneBy: 'passing',
    fault({ title, quiz }) {
      const [fault] = quiz ? quizFaults(quiz) : ['has no question yet'];
      return fault ? { field: 'quiz', words: `“${title}” ${fault}` } : null;
    },
  }),
  survey: entry({
    words: 'survey',
    keeps: ['survey'],
    starts: { survey: NEW_SURVEY },
    doneBy: 'answering',
    fault({ title, survey }) {
      const [fault] = survey ? surveyFaults(survey) : ['has no question yet'];
      return fault ? { field: 'survey', words: `“${title}” ${fault}` } : null;
    },
  }),
  'sign-off': entry({
    words: 'sign-off',
    keeps: ['signOff'],
    starts: { signOff: NEW_SIGN_OFF },
    doneBy: 'signing',
    fault({ title, signOff }) {
      const [fault] = signOff ? signOffFaults(signOff) : ['has no criterion yet'];
      return fault ? { field: 'signOff', words: `“${title}” ${fault}` } : null;
    },
  }),
  // one comes on a day, with others; whoever leads it records who was there, and what was met
  session: entry({
    words: 'session',
    keeps: ['signOff', 'session'],
    starts: { signOff: { ...NEW_SIGN_OFF, criteria: [] }, session: NEW_SESSIONS },
    doneBy: 'signing',
    fault({ title, signOff }) {
      const [fault] = signOff ? signOffFaults(signOff, true) : [];
      return fault ? { field: 'signOff', words: `“${title}” ${fault}` } : null;
    },
  }),
};

export type UnitKind = keyof typeof ENTRIES;
export const UNIT_KINDS = Object.keys(ENTRIES) as [UnitKind, ...UnitKind[]];
export const unitKind = (kind: UnitKind): UnitKindEntry => ENTRIES[kind];

/** A title with its kind before it, as it is typed into an outline: "link: Rules of the port". Null where it names none. */
export function typedKind(text: string): { kind: UnitKind; title: string } | null {
  const [, word, title] = /^\s*(\w[\w -]*?)\s*:\s*(.*)$/.exec(text) ?? [];
  const kind = UNIT_KINDS.find((name) => name === word?.toLowerCase());
  return kind ? { kind, title: title!.trim() } : null;
}
