import { createHash } from 'node:crypto';
import type { StatementsQuery } from '@nudrik/contract';
import type { Deps } from '../deps.ts';
import { findHouseId } from '../keeping/erase.repo.ts';
import { Refused } from '../refusal.ts';
import { findStatement, listOut, type OutRow } from './statements.repo.ts';

const XAPI = 'http://adlnet.gov/expapi';

/** A UUID that is the same for the same words each time (RFC 9562, version 8). */
function uuidOf(words: string): string {
  const bytes = createHash('sha256').update(words).digest().subarray(0, 16);
  bytes[6] = (bytes[6]! & 0x0f) | 0x80;
  bytes[8] = (bytes[8]! & 0x3f) | 0x80;
  return bytes.toString('hex').replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, '$1-$2-$3-$4-$5');
}

const verbOf = ({ type, data }: OutRow): 'completed' | 'passed' | 'failed' =>
  type === 'finished' ? 'completed' : data.passed ? 'passed' : 'failed';

/** What happened, as a statement: a course that was finished, or a quiz that was passed or failed. */
function statementOf(row: OutRow, house: string, baseUrl: string): object {
  const verb = verbOf(row);
  const course = `${baseUrl}/courses/${row.course}`;
  const isCourse = row.type === 'finished' || row.unit === null;
  const score = row.data.score;
  return {
    id: uuidOf(`${house} event ${row.id}`),
    actor: { objectType: 'Agent', name: row.name, mbox: `mailto:${row.email}` },
    verb: { id: `${XAPI}/verbs/${verb}`, display: { en: verb } },
    object: {
      objectType: 'Activity',
      id: isCourse ? course : `${course}/units/${row.unit}`,
      definition: { type: isCourse ? `${XAPI}/activities/course` : `${XAPI}/activities/assessment`, name: { en: isCourse ? row.title : row.unit_title } },
    },
    result: { ...(row.type === 'finished' ? { completion: true } : { success: verb === 'passed' }), ...(score == null ? {} : { score: { scaled: Math.min(1, Math.max(-1, score / 100)) } }) },
    context: {
      registration: uuidOf(`${house} assignment ${row.assignment}`),
      platform: 'Nudrik',
      ...(isCourse ? {} : { contextActivities: { parent: [{ objectType: 'Activity', id: course }] } }),
    },
    // a completion that was recorded later is of its own day
    timestamp: new Date(row.data.onAt ?? row.at).toISOString(),
    stored: row.at.toISOString(),
    authority: { objectType: 'Agent', account: { homePage: baseUrl, name: 'nudrik' } },
    version: '2.0.0',
  };
} // prettier-ignore

const MAILTO = /^mailto:(\S+)$/i;

/** Statements of what happened here; the newest first, or the first first. @throws Refused */
export async function statementsOut(deps: Deps, query: StatementsQuery): Promise<object> {
  const { db, settings } = deps;
  const house = (await findHouseId(db))!;
  if (query.statementId || query.voidedStatementId) {
    const taken = await findStatement(db, (query.statementId ?? query.voidedStatementId)!);
    if (taken && (taken.voided_by === null) === (query.statementId !== undefined))
      return { ...taken.statement, id: taken.id, stored: taken.stored_at.toISOString() };
    throw new Refused('not-found', 'There is no statement of this id that was taken here. What happened here is asked for without an id.');
  }
  const agent = readAgent(query.agent);
  const base = `${settings.baseUrl}/courses/`;
  const [, course, unit] = query.activity?.startsWith(base) ? (/^(\d{1,18})(?:\/units\/(\d{1,18}))?$/.exec(query.activity.slice(base.length)) ?? []) : [];
  const verb = query.verb?.startsWith(`${XAPI}/verbs/`) ? query.verb.slice(`${XAPI}/verbs/`.length) : query.verb;
  const ascending = query.ascending === 'true';
  const limit = query.limit === 0 ? 100 : query.limit;
  // of an activity or a registration that is none of ours there is nothing
  if ((query.activity && !course) || query.registration) return { statements: [], more: '' };
  const found = await listOut(db, {
    from: query.from ?? null,
    ascending,
    since: query.since ? new Date(query.since) : null,
    until: query.until ? new Date(query.until) : null,
    email: agent,
    course: course ?? null,
    unit: unit ?? null,
    verb: verb ?? null,
    limit: limit + 1,
  });
  const page = found.slice(0, limit);
  const { from: _, ...asked } = query;
  const more = new URLSearchParams(Object.entries(asked).flatMap(([key, value]) => (value === undefined ? [] : [[key, String(value)]])));
  if (page.length > 0) more.set('from', page.at(-1)!.id);
  return {
    statements: page.map((row) => statementOf(row, house, settings.baseUrl)),
    more: found.length > limit ? `${new URL(settings.baseUrl).pathname.replace(/\/$/, '')}/api/xapi/statements?${more}` : '',
  };
} // prettier-ignore

/** The address that an agent is known by. @throws Refused */
function readAgent(text: string | undefined): string | null {
  if (text === undefined) return null;
  try {
    const address = MAILTO.exec(String((JSON.parse(text) as { mbox?: unknown }).mbox))?.[1];
    if (address) return address;
  } catch {
    // told below
  }
  throw new Refused('wrong-input', 'agent: expected an agent with an mbox, as JSON: {"mbox": "mailto:…"}.');
}
