import {
  DEFAULT_SETTINGS,
  findRecipient,
  foreseeLetter,
  Roster,
  STANDARD_PLAN,
  type Assignment,
  type Person,
  type PlanStep,
  type TextCourse,
} from '@nudrik/core';
import { report, timed } from './measure.ts';

const COUNT = 10_000;
const NOW = Date.parse('2027-03-17T08:00:00Z');
const COURSE: TextCourse = {
  id: 'c1',
  title: 'Fire Teams Aboard',
  owner: 'p1',
  units: ['u1', 'u2'],
  code: null,
  summary: 'Two teams, one hose each.',
  required: ['u1', 'u2'],
  needed: null,
  titles: { u1: 'Hoses', u2: 'Words' },
};

/** Composing, one core: values, texts in both forms, frame and who reads the reply, for people in two zones; against filling the same plain text by hand. */
export function messagesBench(): void {
  const people: Person[] = Array.from({ length: 5_000 }, (_, i) => ({
    id: `p${i}`,
    name: `Person ${i}`,
    email: `p${i}@orlasund.example`,
    calendar: i % 3 ? 'orla' : 'tarn',
    manager: i > 50 ? `p${i % 50}` : null,
    leave: [],
    department: i % 2 ? 'Deck' : 'Engine',
    site: 'Orla Quay',
    groups: [],
    job: 'Deckhand',
    joinedOn: null,
    leftOn: null,
    isReachable: true,
  }));
  const roster = new Roster({
    people,
    calendars: [
      { id: 'orla', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], holidays: [] },
      { id: 'tarn', zone: 'Europe/London', workingDays: [1, 2, 3, 4, 5], holidays: [] },
    ],
    courses: [COURSE],
    settings: DEFAULT_SETTINGS,
  });
  const assignments = Array.from(
    { length: COUNT },
    (_, i): Assignment => ({ id: `a${i}`, person: `p${i % 5_000}`, course: 'c1', assignedAt: NOW - 9 * 86_400_000, dueAt: NOW + (1 + (i % 25)) * 86_400_000, events: [] }),
  ); // prettier-ignore
  const plain = STANDARD_PLAN[2]!;
  const words = (text: string) => ({ type: 'paragraph' as const, content: [{ type: 'text' as const, text }] });
  const parted: PlanStep = {
    ...plain,
    message: {
      ...plain.message,
      body: {
        type: 'doc',
        content: [words('For all.'), { type: 'part', attrs: { onlyIf: { department: ['Deck'] } }, content: [words('For the deck.')] }],
      },
    },
  };
  const facts = {
    roster,
    organisation: 'Orlasund Ferries',
    house: { senderName: 'Safety training', replyTo: 'training@orlasund.example', repliesToTrainer: true },
  };
  const owner = roster.person('p1');
  const write = (step: PlanStep): number => {
    let letters = 0;
    for (const assignment of assignments) {
      const recipient = findRecipient('employee', roster.getPerson(assignment.person), owner, roster, NOW);
      letters += foreseeLetter(step, recipient, [{ assignment, course: COURSE, revision: 0 }], facts, NOW).rendered.text.length;
    }
    return letters;
  };
  // what nobody can do without: the same words, put together
  const bare = (): number => {
    let letters = 0;
    for (const { person, dueAt } of assignments) {
      const values: Record<string, string> = { 'given name': person, course: COURSE.title, due: new Date(dueAt).toISOString(), 'time to due': 'soon', 'units left': '2 units' };
      const fill = (text: string): string => text.replace(/\{([^{}]+)\}/g, (_, name: string) => values[name] ?? name);
      letters += fill(plain.message.subject).length + fill(String(plain.message.body)).length;
    }
    return letters;
  }; // prettier-ignore
  const median = (work: () => number): number => [1, 2, 3].map(() => timed(work).seconds).sort((a, b) => a - b)[1]!;
  write(plain);
  bare();
  const base = median(bare);
  for (const [what, step] of [['composing 10,000 messages', plain], ['the same with a part for some readers', parted]] as const) {
    const seconds = median(() => write(step));
    report(what, `${Math.round(COUNT / seconds).toLocaleString('en')} a second, ${(seconds / base).toFixed(0)} × filling the plain text alone`, 'goal 10,000 a second');
  } // prettier-ignore
}
