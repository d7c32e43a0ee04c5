import { addDays } from '@nudrik/core';
import type { FeedPerson } from '@nudrik/contract';
import { CAST, emailOf, makeCrew, START_ON } from './orlasund.ts';

type Turn = (people: Map<string, FeedPerson>, date: string) => void;

const crew = makeCrew();
const numberOf = new Map(crew.people.map((person) => [person.name, person.personnelNumber!]));
const nameOfEmail = new Map(crew.people.map((person) => [person.email, person.name]));

const first = (): Map<string, FeedPerson> =>
  new Map(
    crew.people.map((person) => [
      person.personnelNumber!,
      {
        number: person.personnelNumber!,
        name: person.name,
        email: person.email,
        department: person.department,
        site: person.site,
        job: person.job,
        language: person.language,
        chatName: person.chatName,
        manager: person.managerEmail && numberOf.get(nameOfEmail.get(person.managerEmail)!)!,
        joinedOn: person.joinedOn,
        leftOn: null,
      },
    ]),
  );

const staff = (department: string, from: number): string[] =>
  crew.people
    .filter(
      (p) =>
        p.department === department &&
        !/lead|Chief|Head/.test(p.job ?? '') &&
        !crew.intake.includes(p.name) &&
        !(Object.values(CAST) as string[]).includes(p.name),
    )
    .slice(from)
    .map((p) => p.personnelNumber!);

const joins =
  (number: string, name: string, department: string, site: string, job: string, manager: string, joinedOn: string): Turn =>
  (people) =>
    void people.set(number, {
      number,
      name,
      email: emailOf(name),
      department,
      site,
      job,
      language: null,
      chatName: null,
      manager: numberOf.get(manager)!,
      joinedOn,
      leftOn: null,
    });
const change =
  (number: string, rest: Partial<FeedPerson>): Turn =>
  (people) =>
    void people.set(number, { ...people.get(number)!, ...rest });
const goes =
  (number: string): Turn =>
  (people) =>
    void people.delete(number);

const [mover] = staff('Deck', 6) as [string];
const [leaver] = staff('Deck', 9) as [string];
const [returner] = staff('Terminal', 4) as [string];
const [deckhand] = staff('Deck', 12) as [string];

/** Who the feed's story is about, for whoever plays it. */
export const FEED_CAST = {
  joiner: 'Solveig Rimstad',
  joinsOn: addDays(START_ON, 8),
  laterJoiner: 'Eskil Tangen',
  laterJoinsOn: addDays(START_ON, 12),
  mover: crew.people.find((p) => p.personnelNumber === mover)!.name,
  leaver: crew.people.find((p) => p.personnelNumber === leaver)!.name,
  returner: crew.people.find((p) => p.personnelNumber === returner)!.name,
};

/** What the personnel department enters, by days after the start. */
const STORY: readonly [day: number, turn: Turn][] = [
  [1, joins('OF-1300', FEED_CAST.joiner, 'Deck', 'Vessel pool', 'Deckhand', CAST.deckHead, FEED_CAST.joinsOn)],
  [2, joins('OF-1301', 'Wrong Entry', 'Deck', 'Orla Key', 'Deckhand', CAST.deckHead, FEED_CAST.joinsOn)],
  [3, goes('OF-1301')],
  [5, change(mover, { department: 'Office', site: 'Orla Quay', job: 'Planner', manager: numberOf.get(CAST.officeHead)! })],
  [6, joins('OF-1302', FEED_CAST.laterJoiner, 'Deck', 'Vessel pool', 'Able seaman', CAST.deckHead, FEED_CAST.laterJoinsOn)],
  [6, goes(returner)],
  [7, change(deckhand, { manager: numberOf.get(CAST.coverLead)! })],
  [8, goes(leaver)],
  [9, change(deckhand, { joinedOn: '2026-02-31' })],
  [10, change(deckhand, { joinedOn: crew.people.find((p) => p.personnelNumber === deckhand)!.joinedOn })],
  [
    12,
    (people, date) => void people.set(returner, { ...first().get(returner)!, email: emailOf(`${FEED_CAST.returner} Vik`), joinedOn: date }),
  ],
];

/** The roster as the personnel department has it on a date. */
export function rosterOn(date: string): FeedPerson[] {
  const people = first();
  for (const [day, turn] of STORY) {
    const on = addDays(START_ON, day);
    if (on <= date) turn(people, on);
  }
  return [...people.values()];
}
