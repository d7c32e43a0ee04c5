import type { CourseInput } from '@nudrik/contract';
import {
  docOf,
  NEW_QUIZ,
  newQuestion,
  newSurveyQuestion,
  type PlanStep,
  type Question,
  type Quiz,
  type SignOffOutcome,
  NEW_SIGN_OFF,
  type AnchorEvent,
} from '@nudrik/core';
import { CAST } from './orlasund.ts';

type Unit = CourseInput['sections'][number]['units'][number];

const page = (title: string, ...paragraphs: string[]): Unit => ({
  id: null,
  kind: 'page',
  title,
  required: true,
  body: paragraphs.map((text) => (text.startsWith('<') ? text : `<p>${text}</p>`)).join(''),
  url: null,
  fileId: null,
});
const link = (title: string, url: string): Unit => ({
  id: null,
  kind: 'link',
  title,
  required: false,
  body: null,
  url,
  fileId: null,
});
const card = (title: string): Unit => ({
  id: null,
  kind: 'file',
  title,
  required: false,
  body: null,
  url: null,
  fileId: null,
});

const film = (title: string): Unit => ({ id: null, kind: 'video', title, required: false });
const drill = (title: string): Unit => ({ id: null, kind: 'package', title, required: false });

const survey = (title: string): Unit => ({
  id: null,
  kind: 'survey',
  title,
  required: false,
  survey: {
    isAnonymous: true,
    questions: [
      { ...newSurveyQuestion('scale', 's1'), text: 'How clear was it?', low: 'not at all', high: 'wholly', isRequired: true },
      { ...newSurveyQuestion('one', 's2'), text: 'How long did it take you?', choices: ['under ten minutes', 'ten to twenty', 'longer'] },
      { ...newSurveyQuestion('text', 's3'), text: 'What would you change?' },
    ],
  },
});

/** A morning at the fire ground, for those who want it. */
const hotDrill = (): Unit => ({
  id: null,
  kind: 'session',
  title: 'Hot drill at the fire ground',
  required: false,
  signOff: { ...NEW_SIGN_OFF, guide: 'Boots, gloves, and nothing that melts.', criteria: [], asksPlace: false },
  session: { employees: true, managers: true, rule: false, closes: 24 },
});

/** What a supervisor watches on the quay. */
const signedOff = (): Unit => ({
  id: null,
  kind: 'sign-off',
  title: 'Making fast, on the quay',
  required: true,
  signOff: {
    guide: 'One round at the berth: a heaving line thrown and caught, a spring made fast, the gangway rigged and closed again.',
    criteria: [
      { id: 'throw', words: 'Throws the heaving line so that it is caught', isNeeded: true },
      { id: 'bight', words: 'Stays out of the bight and the snap-back zone', isNeeded: true },
      { id: 'gangway', words: 'Rigs the gangway with two lashings', isNeeded: true },
      { id: 'coil', words: 'Leaves the lines coiled', isNeeded: false },
    ],
    signers: { managers: true, trainers: true, people: [], sites: [] },
    asksPlace: true,
    withQuizzes: true,
    withSurveys: false,
  },
});

/** What goes when somebody was signed off: another word for each outcome. */
const signedStep = (id: string, name: string, outcome: SignOffOutcome, to: PlanStep['to'], subject: string, body: string): PlanStep => ({
  id,
  name,
  kind: 'follow-up',
  on: true,
  anchor: { event: 'signed-off', outcome },
  offset: { amount: 0, unit: 'minutes' },
  at: null,
  window: null,
  repeat: null,
  to,
  gather: 'none',
  endsOn: null,
  onlyIf: null,
  stopWhen: null,
  message: { subject, body, button: null, withRecord: true },
});
const sessionStep = (id: string, name: string, event: AnchorEvent, rest: Partial<PlanStep>, subject: string, body: string): PlanStep => ({
  ...signedStep(id, name, 'met', ['employee'], subject, body),
  anchor: { event },
  message: { subject, body, button: null, withDate: true },
  ...rest,
}); // prettier-ignore
const SESSION_STEPS: readonly PlanStep[] = [
  sessionStep('seat', 'You have a seat', 'seat-given', {}, '{session}: you have a seat', 'Hello {given name},\n\nyou have a seat: {session}, {session starts}, {session place}. It comes with this for your calendar.\n\n{trainer}'),
  sessionStep('session-moved', 'It is moved', 'session-moved', {}, '{session} is moved to {session starts}', 'Hello {given name},\n\n{session} is moved: it starts {session starts}, {session place}. Your seat is kept.\n\n{trainer}'),
  sessionStep('seat-lost', 'No seat any more', 'seat-lost', {}, '{session}: no seat any more', 'Hello {given name},\n\nyou have no seat in {session} any more. {reason given|You may choose another date.}\n\n{trainer}'),
  sessionStep('session-tomorrow', 'A day before it', 'session-starts', { offset: { amount: -1, unit: 'working days' }, at: '10:00', window: 'earlier' }, '{session}: {session starts}', 'Hello {given name},\n\n{session} starts {session starts}, {session place}. Boots and gloves.\n\n{trainer}'),
]; // prettier-ignore

const SIGNED_STEPS: readonly PlanStep[] = [
  signedStep('signed-met', 'Met on the quay', 'met', ['employee'], 'Signed off: {unit}', 'Hello {given name},\n\n{unit} is signed off. The record comes with this; keep it.\n\n{trainer}'),
  signedStep('signed-not-met', 'Not met on the quay', 'not-met', ['employee', 'manager'], '{unit}: not met yet', 'Hello,\n\n{full name} did not meet all of {unit} on {signed off on}. The record says what. Please find another day on the quay.\n\n{trainer}'),
  signedStep('signed-absent', 'Absent on the quay', 'absent', ['employee'], 'You were missed at {unit}', 'Hello {given name},\n\nyou were not there for {unit} on {signed off on}. Please ask {manager} for another day.\n\n{trainer}'),
]; // prettier-ignore

/** A unit that opens later. */
const opens = (unit: Unit, release: Unit['release']): Unit => ({ ...unit, release });

const choice = (text: string, isRight = false, words = ''): { text: string; isRight: boolean; words: string } => ({ text, isRight, words });
const asked = (id: string, text: string, choices: readonly ReturnType<typeof choice>[], whenWrong = ''): Question =>
  ({ ...newQuestion('one', id), text: `<p>${text}</p>`, choices: [...choices], whenWrong }) as Question;

/** A pool of six, of which four are drawn for each attempt. */
const TILL_QUIZ: Quiz = {
  ...NEW_QUIZ,
  draw: 4,
  mixQuestions: true,
  pass: 75,
  attempts: 5,
  shows: 'right',
  questions: [
    asked(
      'q1',
      'A passenger tells you of an illness. Where do you write it?',
      [choice('Nowhere', true), choice('In the remarks of the ticket'), choice('In the book of the watch')],
      'Nothing about health, ever, in free text.',
    ),
    asked('q2', 'Within what time does the office hear that something was lost?', [
      choice('Within the hour', true),
      choice('By the end of the shift'),
      choice('With the next count'),
    ]),
    asked('q3', 'Who signs for the till?', [
      choice('Both who counted it', true),
      choice('The elder of the two'),
      choice('Whoever closes it'),
    ]),
    asked('q4', 'Which of these may be kept?', [
      choice('The payment reference', true),
      choice('The number of the card'),
      choice('A photograph of the card'),
    ]),
    asked('q5', 'Somebody asks by telephone who sails today. You', [
      choice('say nothing about passengers', true),
      choice('read the list to them'),
      choice('say it for the family only'),
    ]),
    asked(
      'q6',
      'The count is wrong by a crown. You',
      [choice('write it down as it is', true), choice('put a crown in'), choice('leave it to the next one')],
      'A till that is always right is counted wrongly.',
    ),
  ],
};
const quiz = (title: string, made: Quiz): Unit => ({
  id: null,
  kind: 'quiz',
  title,
  required: true,
  body: null,
  url: null,
  fileId: null,
  quiz: made,
});

export interface DemoCourse {
  draft: Omit<CourseInput, 'ownerId'>;
  owner: string;
  departments: readonly string[] | 'all';
  /** campaigns: days from the start on which it was assigned, and days until due */
  campaigns: readonly { day: number; dueIn: number; share: number }[];
  /** how many of a hundred finish in time */
  discipline: number;
  /** changes to the standard plan, as an administrator would make them */
  plan?: (steps: readonly PlanStep[]) => PlanStep[];
}

const change =
  (id: string, rest: Partial<PlanStep>) =>
  (steps: readonly PlanStep[]): PlanStep[] =>
    steps.map((step) => (step.id === id ? { ...step, ...rest } : step));

/** Above the manager: theirs, the owner of the course, and at last the director, whose id the build fills in. */
export const DIRECTOR = 'person director';
const withLadder = (steps: readonly PlanStep[]): PlanStep[] => {
  const first = steps.find(({ id }) => id === 'to-manager')!;
  const rung = (id: string, name: string, to: string, amount: number): PlanStep => ({ ...first, id, name, to: [to], offset: { amount, unit: 'working days' } }); // prettier-ignore
  return [
    ...steps,
    rung('further-up', 'To the manager’s manager', 'manager 2', 6),
    rung('to-owner', 'To the owner of the course', 'trainer', 9),
    rung('to-director', 'To the director', DIRECTOR, 12),
  ];
};

export const COURSES: readonly DemoCourse[] = [
  {
    owner: CAST.trainer,
    departments: 'all',
    campaigns: [
      { day: -330, dueIn: 28, share: 0.9 },
      { day: -19, dueIn: 28, share: 0.12 },
    ],
    discipline: 93,
    draft: {
      title: 'Muster and Abandon Ship',
      code: 'SAF-01',
      validity: { count: 12, unit: 'months', toMonthEnd: false },
      summary: 'What you do from the alarm to the raft, whoever you are on board.',
      sections: [
        {
          id: null,
          title: 'When the alarm sounds',
          units: [
            page(
              'Your muster station',
              'Every cabin door and every crew list names your station. <strong>Know it before you sail.</strong>',
              'On the alarm: life jacket, warm clothes, station. Nothing else.',
              '<table><tbody><tr><th><p>Signal</p></th><th><p>What it means</p></th></tr><tr><td><p>Seven short, one long</p></td><td><p>General alarm: to your station</p></td></tr><tr><td><p>By mouth, from the master</p></td><td><p>Abandon ship</p></td></tr></tbody></table>',
              '<aside class="danger"><p>Nobody goes back to a cabin for anything.</p></aside>',
              '<ul><li>Deck crew report to the chief officer.</li><li>Cabin crew clear their section first.</li></ul>',
            ),
            film('The muster, as it should look'),
            page('Counting people', 'The count is called twice. Nobody leaves the station between the two.'),
          ],
        },
        {
          id: null,
          title: 'Leaving the ship',
          units: [
            page('The raft, step by step', 'Throw, pull, board. The painter is 36 metres; keep pulling until it fills.'),
            page('In cold water', 'Ten minutes of useful movement. Use them to get together and get out.'),
            link('Public guidance on cold water', 'https://water-safety.example/cold'),
            card('Muster card, to print'),
          ],
        },
      ],
    },
    plan: change('onboarding', {
      name: 'What to bring',
      message: {
        subject: 'What to bring to {course}',
        body: {
          type: 'doc',
          content: [
            ...docOf(
              'Hello {given name},\n\nas {job} you need your own life jacket size and your muster card for {course}. Ask {trainer} if you have neither.',
            ).content,
            {
              type: 'part',
              attrs: { onlyIf: { job: ['Deckhand', 'Able seaman', 'Boatswain'] } },
              content: docOf('On deck you also carry your gloves and your knife.').content,
            },
            ...docOf('It is due {due}.').content,
          ],
        },
        button: 'Open the course',
        // some of those who sail read in these
        texts: {
          nb: {
            subject: 'Dette tar du med til {course}',
            body: 'Hei {given name},\n\ntil {course} trenger du størrelsen på din egen redningsvest og mønstringskortet ditt. Spør {trainer} hvis du mangler noe.\n\nFristen er {due}.',
            button: 'Åpne kurset',
          },
          pl: {
            subject: 'Co zabrać na {course}',
            body: 'Dzień dobry, {given name}!\n\nNa {course} potrzebny jest rozmiar własnej kamizelki ratunkowej i karta alarmowa. W razie braku zapytaj: {trainer}.\n\nTermin: {due}.',
            button: 'Otwórz kurs',
          },
        },
      },
    }),
  },
  {
    owner: CAST.trainer,
    departments: ['Deck', 'Engine'],
    campaigns: [
      { day: -210, dueIn: 21, share: 0.75 },
      { day: -16, dueIn: 18, share: 0.35 },
    ],
    discipline: 88,
    draft: {
      title: 'Fire Teams Aboard',
      code: 'SAF-02',
      asks: 'course',
      validity: { count: 12, unit: 'months', toMonthEnd: false },
      summary: 'Two teams, one hose each, and the words between them.',
      sections: [
        {
          id: null,
          title: 'Before the fire',
          units: [
            page('Who is in which team', 'The list hangs in the mess and is redrawn at every crew change.'),
            page('Breathing apparatus', 'Test the seal, the whistle and the pressure. Below 180 bar you do not go in.'),
          ],
        },
        {
          id: null,
          title: 'At the fire',
          units: [
            page('Opening a hot door', 'Back of the hand, low, from the hinge side.'),
            page('Talking on the radio', 'Team, place, need. Then listen.'),
            page('Drawing back', 'The whistle means out. Not soon: out.'),
            card('Team card'),
          ],
        },
        { id: null, title: 'Together', units: [hotDrill()] },
      ],
    },
    plan: (steps) => [...steps, ...SESSION_STEPS],
  },
  {
    owner: CAST.trainer,
    departments: ['Deck', 'Terminal'],
    campaigns: [
      { day: -150, dueIn: 21, share: 0.7 },
      { day: -9, dueIn: 16, share: 0.2 },
    ],
    discipline: 91,
    draft: {
      title: 'Gangway and Line Handling',
      code: 'DCK-03',
      asks: 'trainer',
      validity: { count: 24, unit: 'months', toMonthEnd: false },
      summary: 'Making fast, letting go, and keeping out of the bight.',
      sections: [
        {
          id: null,
          title: 'Lines',
          units: [
            page('The snap-back zone', 'If a line parts, it comes back faster than you can look. Stand where it cannot reach.'),
            page('Signals between ship and quay', 'One arm, one meaning.'),
          ],
        },
        {
          id: null,
          title: 'Gangway',
          units: [
            page('Rigging and lashing', 'Two lashings, both checked by somebody else.'),
            page('When to close it', 'More than 15 degrees, or anyone unsteady: close it.'),
            drill('Somebody is over the side: a drill'),
          ],
        },
        { id: null, title: 'On the quay', units: [signedOff()] },
      ],
    },
    plan: (steps) => [...steps, ...SIGNED_STEPS],
  },
  {
    owner: CAST.yardTrainer,
    departments: ['Yard', 'Engine'],
    campaigns: [
      { day: -270, dueIn: 21, share: 0.8 },
      { day: -24, dueIn: 21, share: 0.4 },
    ],
    discipline: 74,
    draft: {
      title: 'Hot Work Permit',
      code: 'YRD-01',
      validity: { count: 12, unit: 'months', toMonthEnd: false },
      summary: 'No spark without a signature: who asks, who signs, who watches.',
      sections: [
        {
          id: null,
          title: 'The permit',
          units: [
            page('Asking for a permit', 'The place, the work, the hours. One permit, one place.'),
            page('What the signer looks at', 'Gas, neighbours, drains, and the way out.'),
          ],
        },
        {
          id: null,
          title: 'The fire watch',
          units: [
            opens(page('Thirty minutes after', 'The watch stays thirty minutes after the last spark, and comes back after an hour.'), {
              kind: 'weekday',
              weekday: 1,
              nth: 1,
              at: '08:00',
            }),
          ],
        },
      ],
    },
    plan: withLadder,
  },
  {
    owner: CAST.trainer,
    departments: ['Cabin', 'Terminal'],
    campaigns: [
      { day: -120, dueIn: 28, share: 0.8 },
      { day: -5, dueIn: 21, share: 0.15 },
    ],
    discipline: 97,
    draft: {
      title: 'Passenger Assistance',
      code: 'PAX-01',
      validity: { count: 24, unit: 'months', toMonthEnd: false },
      summary: 'Helping people who need a hand, and asking before you give it.',
      sections: [
        {
          id: null,
          title: 'Asking first',
          units: [
            page('How to offer', 'Ask, wait, do what was asked.'),
            page('Wheelchairs and ramps', 'Brakes on before you turn to the ramp.'),
          ],
        },
        {
          id: null,
          title: 'In an emergency',
          units: [
            opens(page('People who cannot hear the alarm', 'Every cabin list marks them. They are fetched, not called.'), {
              kind: 'after',
              amount: 2,
              unit: 'working days',
              at: '08:00',
            }),
            survey('How was this for you?'),
          ],
        },
      ],
    },
  },
  {
    owner: CAST.administrator,
    departments: ['Terminal', 'Office', 'Cabin'],
    campaigns: [
      { day: -90, dueIn: 21, share: 0.7 },
      { day: -12, dueIn: 14, share: 0.12 },
    ],
    discipline: 92,
    draft: {
      title: 'Cash and Ticket Data',
      code: 'OFF-02',
      validity: { count: 12, unit: 'months', toMonthEnd: false },
      summary: 'What you may write down about a passenger, and what never leaves the till.',
      sections: [
        {
          id: null,
          title: 'Data',
          units: [
            page('What we may keep', 'Name, sailing, payment reference. Nothing about health, ever, in free text.'),
            page('When something is lost', 'Tell the office within the hour; the law counts from then.'),
          ],
        },
        { id: null, title: 'Cash', units: [page('Counting the till', 'Two people, both sign.'), quiz('Till and tickets', TILL_QUIZ)] },
      ],
    },
  },
  {
    owner: CAST.yardTrainer,
    departments: ['Yard', 'Deck', 'Terminal'],
    campaigns: [
      { day: -180, dueIn: 21, share: 0.6 },
      { day: -14, dueIn: 13, share: 0.15 },
    ],
    discipline: 85,
    draft: {
      title: 'Safe Lifting',
      code: 'SAF-05',
      validity: { count: 24, unit: 'months', toMonthEnd: false },
      summary: 'Slings, signals, and your own back.',
      sections: [
        {
          id: null,
          title: 'By hand',
          units: [page('Before you lift', 'Where does it go, and is the way clear?'), page('Two-person lifts', 'One counts, both lift.')],
        },
        {
          id: null,
          title: 'By crane',
          units: [page('Slings and tags', 'No tag, no lift.'), page('Standing clear', 'Never under, never between.')],
        },
      ],
    },
    plan: change('onboarding', { on: false }),
  },
];
