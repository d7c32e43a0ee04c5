import { handStep, holdsFor, type AssignmentEvent, type Condition, type Instant } from '@nudrik/core';
import type { GroupLetterView } from '@nudrik/contract';
import { announce, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { loadFacts } from '../notices/facts.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { undoTime } from './acts.ts';
import { askAllOfDay, endGroupLetter, findGroupLetter, listBegun, listCourses, listGroupLetters, listUnwritten, lockGoing, putOff, takeChecks } from './group-letters.repo.ts'; // prettier-ignore
import { record } from './record.ts';

/** Assignments that are looked at in one transaction. */
const AT_ONCE = 500;
const NOTHING = { subject: 'x', body: 'x', button: null };

/** Of some open assignments of a course those whose people are in a group. */
async function inGroup(db: Queryable, ids: readonly string[], course: string, onlyIf: Condition | null, now: Instant): Promise<string[]> {
  if (onlyIf === null || ids.length === 0) return [...ids];
  // a step that asks for it: what the condition asks about is loaded with the rest
  const asking = { ...handStep({ id: '0', name: 'x', message: NOTHING }), onlyIf };
  const facts = await loadFacts(db, await getHouse(db), ids, { course, steps: [asking], publishedAt: now });
  return ids.filter((id) => {
    const assignment = facts.assignments.get(id);
    return assignment !== undefined && holdsFor(onlyIf, assignment, facts.roster, now);
  });
}

/** Everybody of a group who has the course open, and whose assignment has begun: who joins later is a joiner. */
export const groupIds = async (db: Queryable, { courseId, onlyIf }: { courseId: string; onlyIf: Condition | null }, now: Instant): Promise<string[]> =>
  inGroup(db, await listBegun(db, courseId, now), courseId, onlyIf, now); // prettier-ignore

/**
 * Writes to whoever came to be in a group since its letter went: each once. What has to be asked about is put down in the
 * transaction that makes somebody a member, and everybody is asked about once a day. As long as a letter may still be taken back
 * nobody joins it: then all are asked about.
 * @returns how many were asked about
 */
export async function writeToJoiners(deps: Deps): Promise<number> {
  const today = await houseToday(deps);
  const settled = deps.clock.now() - undoTime(await getHouse(deps.db));
  await askAllOfDay(deps.db, today, settled);
  let asked = 0;
  for (;;) {
    const count = await transaction(deps.db, async (client) => {
      const now = deps.clock.now();
      const taken = await takeChecks(client, AT_ONCE, now);
      if (taken.length === 0) return 0;
      const later = await putOff(client, taken, now);
      const ids = taken.filter((id) => !later.has(id));
      const letters = await lockGoing(client, await listCourses(client, ids), today, settled);
      for (const letter of letters) {
        const open = await listUnwritten(client, ids, letter);
        const joined = await inGroup(client, open, letter.course_id, letter.only_if, now);
        const event: AssignmentEvent = { type: 'reminded', at: now, letter: letter.letter_id };
        await record(client, joined.map((assignment) => ({ assignment, event })), { byWhom: letter.by_whom }); // prettier-ignore
      }
      return taken.length;
    });
    asked += count;
    if (count < AT_ONCE) return asked;
  }
}

/** The letters to groups of a course: whom they are for, until when, and how many they reached. */
export async function groupLetters(deps: Deps, course: string): Promise<GroupLetterView[]> {
  const today = await houseToday(deps);
  return (await listGroupLetters(deps.db, course)).map((row) => ({
    id: row.letter_id,
    name: row.name,
    subject: row.subject,
    onlyIf: row.only_if,
    until: row.until,
    at: row.at.toISOString(),
    by: row.by_whom,
    reminded: row.reminded,
    joined: row.joined,
    ended: row.ended_at && { at: row.ended_at.toISOString(), by: row.ended_by! },
    goesOn: row.ended_at === null && row.until >= today,
  }));
}

/** Whoever comes later gets it no more; who got it has it. */
export async function endLetter(deps: Deps, letter: string, byWhom: string): Promise<GroupLetterView[]> {
  const found = await findGroupLetter(deps.db, letter);
  if (!found) throw new Refused('not-found', 'There is no such letter to a group, or not any more.');
  await transaction(deps.db, async (client) => {
    if (await endGroupLetter(client, letter, deps.clock.now(), byWhom)) await announce(client, 'assignments');
  });
  return groupLetters(deps, found.course_id);
}
