import { dateFault, readDate, findDateOrder, plainHeader, tellAmount, tellDate, dayOf, Zone, type DateOrder } from '@nudrik/core';
import { readTable, UnreadableFile } from '@nudrik/core/table-file';
import type { ActResult, CompletionsPreview, CompletionsRequest } from '@nudrik/contract';
import { rows, transaction, type Client, type Queryable } from '../db/db.ts';
import { findFile } from '../files/files.repo.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { tellAct } from './acts.ts';
import { insertAct, touch, type NewAct } from './acts.repo.ts';
import { tellPeople } from './change.ts';
import { makeAssignments, record } from './record.ts';

const COLUMNS: Record<'person' | 'course' | 'finished on', string[]> = {
  person: ['person', 'email', 'mail', 'number', 'personnelnumber', 'personnelno', 'employeeno', 'name'],
  course: ['course', 'code', 'coursecode', 'title', 'training'],
  'finished on': ['finishedon', 'finished', 'completed', 'completedon', 'date', 'completiondate'],
};

interface Completion {
  row: number;
  personId: string;
  person: string;
  courseId: string;
  course: string;
  finishedOn: string;
  openId: string | null;
  zone: string;
}

interface Draft extends Omit<CompletionsPreview, 'rows'> {
  list: Completion[];
}

const LIST_KNOWN = `
select p.id, p.name, p.email, p.personnel_number, s.zone
from people p
join sites s on s.id = p.site_id
`;

const LIST_COURSES = 'select id, title, code from courses';
const LIST_OPEN = 'select id, person_id, course_id from assignments where closed_by is null';

/** Reads earlier completions from CSV text; every row that is refused says why. */
async function draft(deps: Deps, db: Queryable, request: CompletionsRequest): Promise<Draft> {
  let cells: string[][];
  try {
    ({ cells } = await readTable(new TextEncoder().encode(request.text)));
  } catch (error) {
    if (error instanceof UnreadableFile) throw new Refused('wrong-file', `${error.message}. Nothing was recorded.`);
    throw error;
  }
  const header = (cells[0] ?? []).map(plainHeader);
  const at = (name: keyof typeof COLUMNS): number => COLUMNS[name].map((alias) => header.indexOf(alias)).find((index) => index >= 0) ?? -1;
  const columns = { person: at('person'), course: at('course'), on: at('finished on') };
  const body = cells
    .slice(1)
    .map((row, index) => ({ row: index + 2, cells: row }))
    .filter(({ cells: own }) => own.some((cell) => cell.trim() !== ''));
  const proposed = findDateOrder(body.map(({ cells: own }) => own[columns.on] ?? ''));
  const dateOrder: DateOrder = request.dateOrder ?? proposed.dateOrder;
  const result: Draft = { list: [], rejected: [], dateOrder, isDateOrderSure: request.dateOrder !== null || proposed.isDateOrderSure };
  for (const [name, index] of [
    ['person', columns.person],
    ['course', columns.course],
    ['finished on', columns.on],
  ] as const)
    if (index < 0 && !(name === 'course' && request.courseId))
      result.rejected.push({
        row: 1,
        column: name,
        reason:
          `The column "${name}" is ` +
          `missing${name === 'course' ? ': add it, or choose the course of the whole list' : ''}. ` +
          `The header has: ${(cells[0] ?? []).join(', ') || 'nothing'}.`,
      });
  if (result.rejected.length > 0) return result;

  const people = await rows<{ id: string; name: string; email: string; personnel_number: string | null; zone: string }>(db, LIST_KNOWN);
  const personOf = new Map(
    people.flatMap((p) => [[p.email, p] as const, ...(p.personnel_number ? [[p.personnel_number.toLowerCase(), p] as const] : [])]),
  );
  const courses = await rows<{ id: string; title: string; code: string | null }>(db, LIST_COURSES);
  const courseOf = new Map(
    courses.flatMap((c) => [[c.title.toLowerCase(), c] as const, ...(c.code ? [[c.code.toLowerCase(), c] as const] : [])]),
  );
  const open = new Map(
    (await rows<{ id: string; person_id: string; course_id: string }>(db, LIST_OPEN)).map((a) => [`${a.person_id}/${a.course_id}`, a.id]),
  );
  const today = await houseToday(deps);
  const seen = new Map<string, number>();
  for (const { row, cells: own } of body) {
    const [who, what, when] = [own[columns.person], own[columns.course], own[columns.on]].map((cell) => (cell ?? '').trim()) as [
      string,
      string,
      string,
    ];
    const reject = (column: string, reason: string): void => void result.rejected.push({ row, column, reason });
    const before = result.rejected.length;
    const person = personOf.get(who.toLowerCase());
    const course = what === '' && request.courseId ? courses.find(({ id }) => id === request.courseId) : courseOf.get(what.toLowerCase());
    const finishedOn = readDate(when, dateOrder);
    if (!person) reject('person', `"${who}" is neither an e-mail nor a personnel number on the roster.`);
    if (!course) reject('course', `There is no course "${what}"; expected a title or a code.`);
    if (finishedOn === null) reject('finished on', dateFault(when, dateOrder));
    else if (finishedOn > today) reject('finished on', `${tellDate(dayOf(finishedOn))} has not come yet; expected a day that has passed.`);
    if (result.rejected.length > before) continue;
    const key = `${person!.id}/${course!.id}`;
    if (seen.has(key)) {
      reject('person', `${person!.name} and ${course!.title} stand in row ${seen.get(key)} already.`);
      continue;
    }
    seen.set(key, row);
    result.list.push({
      row,
      personId: person!.id,
      person: person!.name,
      courseId: course!.id,
      course: course!.title,
      finishedOn: finishedOn!,
      openId: open.get(key) ?? null,
      zone: person!.zone,
    });
  }
  return result;
}

export async function previewCompletions(deps: Deps, request: CompletionsRequest): Promise<CompletionsPreview> {
  const { list, ...rest } = await draft(deps, deps.db, request);
  return {
    ...rest,
    rows: list.map(({ row, person, course, finishedOn, openId }) => ({
      row,
      person,
      course,
      finishedOn,
      words: openId ? 'finishes the open assignment; its unsent notices are cancelled' : 'goes on the record as finished',
    })),
  };
}

/** Records earlier completions, with their proof; an open assignment of the same course is finished by it. */
export async function recordCompletions(deps: Deps, request: CompletionsRequest, byWhom: string, work: Work = AT_ONCE): Promise<ActResult> {
  await work.at(0, 2);
  return transaction(deps.db, async (client: Client) => {
    const { list, rejected } = await draft(deps, client, request);
    if (list.length === 0)
      throw new Refused('wrong-input', `Nothing can be recorded: ${rejected[0]?.reason ?? 'the list is empty.'} Nothing was changed.`);
    const { reason, proofId } = request;
    if (!reason) throw new Refused('wrong-input', 'Say where these completions come from: the reason is empty. Nothing was changed.');
    const courses = [...new Set(list.map(({ course }) => course))];
    const leftOut = new Set(rejected.map(({ row }) => row)).size;
    const what = courses.length === 1 ? courses[0]! : `${list.length} completions`;
    const words =
      `Recorded ${what} for ${tellPeople([...new Set(list.map(({ person }) => person))])}` +
      `${leftOut ? `, ${tellAmount(leftOut, 'rows')} left out` : ''}.`;
    const act: NewAct = { kind: 'record', at: deps.clock.now(), byWhom, reason, words };
    await work.at(1, 2);
    const { actId } = await recordInAct(client, act, list, proofId);
    const result = tellAct(await getHouse(client), act, actId);
    await work.finish(client, result);
    return result;
  });
}

type Recorded = Pick<Completion, 'personId' | 'courseId' | 'finishedOn' | 'openId' | 'zone'>;

/** Records completions as one act, in the caller's transaction. @returns the assignment of each, by "person/course" */
export async function recordInAct(
  client: Client,
  act: NewAct,
  list: readonly Recorded[],
  proofId: string | null,
): Promise<{ actId: string; assignments: Map<string, string> }> {
  const { at, byWhom, reason } = act;
  const actId = await insertAct(client, act);
  // the day begins where the person is; nobody knows the hour
  const onAt = ({ zone, finishedOn }: Recorded): number => Zone.of(zone).toInstant(dayOf(finishedOn), 0);
  const keyOf = ({ personId, courseId }: Recorded): string => `${personId}/${courseId}`;
  const open = list.filter(({ openId }) => openId !== null);
  const past = list.filter(({ openId }) => openId === null);
  const assignments = new Map(open.map((completion) => [keyOf(completion), completion.openId!]));
  const made = await makeAssignments(
    client,
    past.map((c) => ({ person: c.personId, course: c.courseId, assignedAt: onAt(c), dueAt: onAt(c) })),
    at,
    { byWhom, act: actId },
  );
  for (const row of made) assignments.set(`${row.person_id}/${row.course_id}`, row.id);
  await touch(client, actId, past.flatMap((completion) => assignments.get(keyOf(completion)) ?? []), false); // prettier-ignore
  await touch(client, actId, open.map(({ openId }) => openId!), true); // prettier-ignore
  await record(
    client,
    list.flatMap((completion) => {
      const assignment = assignments.get(keyOf(completion));
      const event = { type: 'finished', at, on: completion.finishedOn, onAt: onAt(completion), reason, proof: proofId } as const;
      return assignment ? [{ assignment, event }] : [];
    }),
    { byWhom, act: actId },
  );
  return { actId, assignments };
}

const GET_PROOF_ID = 'select proof_id from assignments where id = $1::bigint';

/** The proof of a recorded completion. */
export async function getProof(db: Queryable, assignmentId: string): Promise<{ name: string; type: string; content: Buffer }> {
  const found = await rows<{ proof_id: string | null }>(db, GET_PROOF_ID, [assignmentId]);
  if (!found[0]?.proof_id) throw new Refused('not-found', 'No proof was kept with this completion.');
  return (await findFile(db, found[0].proof_id))!;
}
