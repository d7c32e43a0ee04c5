import { createHash, randomUUID } from 'node:crypto';
import { STATEMENT_OUTCOMES, type Statement, type StatementRow, type StatementsView } from '@nudrik/contract';
import { dateOf, dayOf, tellAmount, tellDate, Zone } from '@nudrik/core';
import { recordInAct } from '../assignments/completions.ts';
import { tellPeople } from '../assignments/change.ts';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import type { Program } from './programs.ts';
import {
  countToSee,
  findCourse,
  findCourses,
  findPeople,
  findSetCourse,
  findStanding,
  insertStatement,
  listActivities,
  listAddresses,
  listDigests,
  listStatements,
  lockStatements,
  lockWaiting,
  seeStatement,
  setAct,
  setActivity,
  settleStatement,
  voidStatement,
  type Meant,
  type NewStatement,
  type Settled,
} from './statements.repo.ts';

const VERBS: Readonly<Record<string, 'completed' | 'passed' | 'failed' | 'voided'>> = {
  'http://adlnet.gov/expapi/verbs/completed': 'completed',
  'http://adlnet.gov/expapi/verbs/passed': 'passed',
  'http://adlnet.gov/expapi/verbs/failed': 'failed',
  'http://adlnet.gov/expapi/verbs/voided': 'voided',
};
/** What a verb is called, for people: its display in any language, else the end of its IRI. */
const tellVerb = ({ verb }: Statement): string =>
  VERBS[verb.id] ?? Object.values(verb.display ?? {})[0]?.slice(0, 60) ?? verb.id.split(/[/#]/).at(-1)!;

/** The same JSON whatever the order of its keys. */
const canonical = (value: unknown): string =>
  value === null || typeof value !== 'object'
    ? JSON.stringify(value)
    : Array.isArray(value)
      ? `[${value.map(canonical).join(',')}]`
      : `{${Object.entries(value)
          .filter(([, one]) => one !== undefined)
          .sort(([a], [b]) => (a < b ? -1 : 1))
          .map(([key, one]) => `${JSON.stringify(key)}:${canonical(one)}`)
          .join(',')}}`;
/** What has to be the same for two statements of one id to be the same (xAPI, statement immutability). */
const digestOf = ({ stored: _, authority: __, version: ___, ...rest }: Statement): Buffer =>
  createHash('sha256').update(canonical(rest)).digest();

/** Whom a statement names, as it names them. */
export const tellActor = ({ actor }: Statement): string =>
  [actor.name, actor.mbox?.replace(/^mailto:/i, '') ?? actor.account?.name ?? actor.mbox_sha1sum ?? actor.openid]
    .filter(Boolean)
    .join(', ') || 'a group';

/** A part of an address as it is meant, or as it stands where that cannot be read. */
const plain = (part: string): string => {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
};

/** What is asked for often in one batch. */
class Batch {
  private addresses: Map<string, string> | null = null;
  readonly completions: { person: Meant; course: { id: string; title: string }; day: string; openId: string | null; statement: string }[] =
    [];
  constructor(readonly client: Client) {}

  private async addressOf(sum: string): Promise<string | null> {
    this.addresses ??= new Map(
      (await listAddresses(this.client)).map((email) => [createHash('sha1').update(`mailto:${email}`).digest('hex'), email]),
    );
    return this.addresses.get(sum.toLowerCase()) ?? null;
  }

  /** Who is meant: by address, by its hash, or by personnel number. */
  async personOf({ actor }: Statement): Promise<Meant | null> {
    if (actor.objectType === 'Group') return null;
    const email = actor.mbox?.slice('mailto:'.length) ?? (actor.mbox_sha1sum ? await this.addressOf(actor.mbox_sha1sum) : null);
    const number = actor.account?.name ?? null;
    if (email === null && number === null) return null;
    const found = await findPeople(this.client, email, number);
    return found.length === 1 && !found[0]!.is_erased ? found[0]! : null;
  }

  /** Which course an activity is: as somebody said, by our own address, by its code at the end of the address, or by its name. */
  async courseOf({ object }: Statement, baseUrl: string): Promise<{ id: string; title: string } | null | 'none'> {
    const activity = object.id!;
    const set = await findSetCourse(this.client, activity);
    if (set === null) return 'none';
    if (set !== undefined) return findCourse(this.client, set);
    const own = activity.startsWith(`${baseUrl}/courses/`)
      ? /^\d{1,18}$/.exec(activity.slice(`${baseUrl}/courses/`.length))?.[0]
      : undefined;
    const last = plain(/([^/#?:]+)\/?$/.exec(activity)?.[1] ?? '').toLowerCase();
    const titles = Object.values(object.definition?.name ?? {}).map((name) => name.trim().toLowerCase());
    const found = await findCourses(this.client, own ?? null, last ? [last, activity.toLowerCase()] : [activity.toLowerCase()], titles);
    return found.length === 1 ? found[0]! : null;
  }
}

/** What comes of one statement. */
async function settle({ clock, settings }: Deps, batch: Batch, id: string, at: Date, statement: Statement): Promise<Settled> {
  const verb = VERBS[statement.verb.id];
  const nobody = { personId: null, courseId: null };
  if (statement.object.objectType !== 'Activity' || verb === undefined || verb === 'voided')
    return { outcome: 'noted', words: `Nothing is done by “${tellVerb(statement)}”.`, ...nobody };
  const person = await batch.personOf(statement);
  const found = await batch.courseOf(statement, settings.baseUrl);
  const known = { personId: person?.id ?? null, courseId: found !== null && found !== 'none' ? found.id : null };
  if (found === 'none') return { outcome: 'noted', words: 'The activity is none of our courses, as somebody said.', ...known };
  if (!person)
    return {
      outcome: 'no-person',
      words: `${tellActor(statement)} is nobody of the roster: neither by address nor by personnel number.`,
      ...known,
    };
  if (!found) return { outcome: 'no-course', words: 'Nobody said which course this activity is, and no code or title tells it.', ...known };
  const result = statement.result ?? {};
  if (verb === 'failed' || result.success === false || result.completion === false)
    return { outcome: 'noted', words: `${person.name} did not finish ${found.title} by it.`, ...known };
  const day = dateOf(Zone.of(person.zone).dayAt(at.getTime()));
  if (at.getTime() > clock.now() + 300_000) return { outcome: 'early', words: `${tellDate(dayOf(day))} has not come yet.`, ...known };
  const { open, is_known } = await findStanding(batch.client, person.id, found.id, person.zone, day);
  const isTold = batch.completions.some(
    (one) => one.person.id === person.id && one.course.id === found.id && Math.abs(dayOf(one.day) - dayOf(day)) <= 1,
  );
  if (is_known || isTold)
    return { outcome: 'noted', words: `That ${person.name} finished ${found.title} is on the record of that day already.`, ...known };
  if (open !== null && day < open.day)
    return {
      outcome: 'older',
      words: `${found.title} is asked of ${person.name} from ${tellDate(dayOf(open.day))} on, and was finished on ${tellDate(dayOf(day))}, before that. Record it by hand if it counts.`,
      ...known,
    };
  batch.completions.push({ person, course: found, day, openId: open?.id ?? null, statement: id });
  return { outcome: 'recorded', words: `${person.name} finished ${found.title} on ${tellDate(dayOf(day))}.`, ...known };
}

/** Puts the completions of a batch on the record, as one act of the program. */
async function recordBatch(deps: Deps, batch: Batch, program: string): Promise<void> {
  const { client, completions } = batch;
  if (completions.length === 0) return;
  const titles = [...new Set(completions.map(({ course }) => course.title))];
  const words = `Recorded ${titles.length === 1 ? titles[0]! : tellAmount(completions.length, 'completions')} for ${tellPeople([...new Set(completions.map(({ person }) => person.name))])}.`;
  const reason = `statement${completions.length === 1 ? '' : 's'} of ${program}`;
  // whoever has two rounds of one course in a batch has two acts
  for (let list = completions; list.length > 0;) {
    const seen = new Set<string>();
    const now = list.filter(({ person, course }) => !seen.has(`${person.id}/${course.id}`) && seen.add(`${person.id}/${course.id}`));
    list = list.filter((one) => !now.includes(one));
    const { actId } = await recordInAct(
      client,
      { kind: 'record', at: deps.clock.now(), byWhom: `${program} (program)`, reason, words },
      now.map(({ person, course, day, openId }) => ({
        personId: person.id,
        courseId: course.id,
        finishedOn: day,
        openId,
        zone: person.zone,
      })),
      null,
    );
    await setAct(
      client,
      now.map(({ statement }) => statement),
      actId,
    );
  }
  await announce(client, 'assignments', 'notices', 'work');
}

/**
 * Takes statements: all of them or none, each once by its id.
 * @returns their ids, in their order
 * @throws Refused where two say different things by one id
 */
export async function takeStatements(deps: Deps, program: Program, list: readonly Statement[]): Promise<string[]> {
  const ids = list.map(({ id }) => id?.toLowerCase() ?? randomUUID());
  if (new Set(ids).size !== ids.length)
    throw new Refused('wrong-input', 'Two statements have one id; expected each once. Nothing was taken.');
  return transaction(deps.db, async (client) => {
    await lockStatements(client);
    const known = await listDigests(client, ids);
    const batch = new Batch(client);
    const storedAt = new Date(deps.clock.now());
    let isNews = false;
    for (const [at, statement] of list.entries()) {
      const id = ids[at]!;
      const digest = digestOf(statement);
      const was = known.get(id);
      if (was?.equals(digest)) continue;
      if (was) throw new Refused('conflict', `The statement ${id} was taken before and said something else. Nothing was taken.`);
      isNews = true;
      const when = statement.timestamp ? new Date(statement.timestamp) : storedAt;
      const one: NewStatement = {
        id,
        token: program.id,
        program: program.name,
        storedAt,
        at: when,
        digest,
        statement,
        verb: statement.verb.id,
        activity: statement.object.objectType === 'Activity' ? statement.object.id! : null,
      };
      await insertStatement(client, one, await settleOrVoid(deps, batch, one));
    }
    await recordBatch(deps, batch, program.name);
    if (isNews) await announce(client, 'programs');
    return ids;
  });
}

async function settleOrVoid(deps: Deps, batch: Batch, one: NewStatement): Promise<Settled> {
  const { statement } = one;
  if (VERBS[statement.verb.id] !== 'voided' || statement.object.objectType !== 'StatementRef')
    return settle(deps, batch, one.id, one.at, statement);
  const nobody = { personId: null, courseId: null };
  const was = await voidStatement(batch.client, statement.object.id!.toLowerCase(), one.id);
  if (was?.outcome === 'recorded')
    return {
      outcome: 'voids',
      words: 'A completion that is on the record came of the statement that this takes back. Undo it under Acts, if it is wrong.',
      ...nobody,
    };
  return {
    outcome: 'noted',
    words: was ? 'The statement that it takes back had recorded nothing.' : 'There is no statement that it takes back.',
    ...nobody,
  };
}

const PART = 200;
/** Looks again at what waits for somebody or for a course: the roster, or what an activity is, may have changed. @returns how much was recorded */
export async function settleAgain(deps: Deps, activity: string | null): Promise<number> {
  let count = 0;
  for (let after: string | null = null; ;) {
    const done = await transaction(deps.db, async (client) => {
      await lockStatements(client);
      const waiting = await lockWaiting(client, activity, after, PART);
      const programs = new Map<string, Batch>();
      for (const { id, at, statement, program } of waiting) {
        const batch = programs.get(program) ?? new Batch(client);
        programs.set(program, batch);
        await settleStatement(client, id, await settle(deps, batch, id, at, statement));
      }
      for (const [program, batch] of programs) {
        await recordBatch(deps, batch, program);
        count += batch.completions.length;
      }
      return waiting;
    });
    if (done.length < PART) break;
    after = done.at(-1)!.id;
  }
  await announce(deps.db, 'programs');
  return count;
}

/** Says which course an activity is, and settles what waited for that. */
export async function setActivityCourse(
  deps: Deps,
  activity: string,
  course: string | null,
  byWhom: string,
): Promise<{ recorded: number }> {
  await transaction(deps.db, async (client) => {
    if (course !== null && !(await findCourse(client, course)))
      throw new Refused('wrong-input', `There is no course ${course}. Nothing was changed.`);
    await setActivity(client, activity, course, new Date(deps.clock.now()), byWhom);
  });
  return { recorded: await settleAgain(deps, activity) };
}

/** Notes that somebody looked at a statement, and that nothing more is to be done. */
export async function seeOne(deps: Deps, id: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    if (!(await seeStatement(client, id, new Date(deps.clock.now()), byWhom)))
      throw new Refused('not-found', 'There is no such statement, or somebody looked at it before.');
    await announce(client, 'programs');
  });
}

const titleOf = (names: Readonly<Record<string, string>> | undefined): string | null =>
  names?.['en'] ?? Object.values(names ?? {})[0] ?? null;
const readNames = (text: string | null): Record<string, string> | undefined => {
  try {
    return text === null ? undefined : (JSON.parse(text) as Record<string, string>);
  } catch {
    return undefined;
  }
};

/** What came in, the newest first. */
export async function statementsView({ db, settings }: Deps, show: 'to-see' | 'all', after: string | undefined): Promise<StatementsView> {
  const [, at, id] = /^(\d+)_([0-9a-f-]{36})$/.exec(after ?? '') ?? [];
  const most = 100;
  const found = await listStatements(db, show === 'to-see', at && id ? { at: new Date(Number(at)), id } : null, most + 1);
  const list = found.slice(0, most);
  const last = list.at(-1);
  return {
    rows: list.map(({ statement, at: when, storedAt, seenAt, ...row }): StatementRow => ({
      ...row,
      at: when.toISOString(),
      storedAt: storedAt.toISOString(),
      seenAt: seenAt?.toISOString() ?? null,
      who: statement.actor ? tellActor(statement) : 'erased',
      verb: statement.verb ? tellVerb(statement) : STATEMENT_OUTCOMES.noted,
      title: titleOf(statement.object?.definition?.name),
    })),
    next: found.length > most && last ? `${last.storedAt.getTime()}_${last.id}` : null,
    toSee: await countToSee(db),
    activities: (await listActivities(db)).map(({ activity, names, count }) => ({ activity, title: titleOf(readNames(names)), count })),
    endpoint: `${settings.baseUrl}/api/xapi/`,
  };
} // prettier-ignore
