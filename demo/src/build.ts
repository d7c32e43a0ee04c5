import { makeRingCard } from './card.ts';
import { MUSTER_SECONDS, musterCaptions, musterFilm, overboardPackage } from './media.ts';
import {
  dateOf,
  dayOf,
  msOfTime,
  rehearse,
  STANDARD_PLAN,
  Zone,
  DAY_MS,
  encodeEvent,
  type AssignmentEvent,
  type PlanStep,
  type Quiz,
  type RehearsalLine,
  type Video,
} from '@nudrik/core';
import {
  insertHandout,
  putHandoutFile,
  cleanPage,
  compose,
  getHouse,
  hashPassword,
  keepFeedRows,
  nextTime,
  requestReconcileAll,
  insertCourse,
  knowFile,
  lookAt,
  putFile,
  listCalendars,
  loadFacts,
  newToken,
  oneRow,
  insertMessages,
  keepVersion,
  putPeople,
  putPlan,
  printedFor,
  readAgain,
  replan,
  rows,
  saveSections,
  transaction,
  type Client,
  type Facts,
  type MessageDraft,
  type Pool,
} from 'nudrik';
import { COURSES, DIRECTOR } from './courses.ts';
import { DRILL_COURSES, makeDesigns } from './designs.ts';
import { makeAsked } from './asked.ts';
import { makeDrills } from './drills.ts';
import { rosterOn } from './feed-story.ts';
import { makeHistory, startInstant, type PastAssignment } from './history.ts';
import { ABOVE, CAST, emailOf, GROUPS, makeCrew, SITES, START_ON, type Crew } from './orlasund.ts';
import { makeRequirements } from './requirements.ts';

export interface DemoOptions {
  baseUrl: string;
  /** the personnel feed's address, null where there is none */
  feedUrl: string | null;
  /** false: simulated time stands still until somebody moves it */
  isTicking: boolean;
}

/** Makes the whole demo in an empty, migrated database: one transaction, the same every time. */
export async function buildDemo(pool: Pool, options: DemoOptions): Promise<void> {
  await transaction(pool, async (db) => {
    const start = startInstant();
    await settle(db, start, options.isTicking);
    const crew = makeCrew();
    for (const site of SITES) {
      const { id } = await oneRow<{ id: string }>(db, 'insert into sites (name, zone) values ($1::text, $2::text) returning id', [
        site.name,
        site.zone,
      ]);
      await db.query('insert into holidays (site_id, on_date, name) select $1::bigint, * from unnest($2::date[], $3::text[])', [
        id,
        site.holidays.map((h) => h.on),
        site.holidays.map((h) => h.name),
      ]);
    }
    await putPeople(db, crew.people);
    const personIds = new Map(
      (await rows<{ id: string; name: string }>(db, 'select id, name from people')).map((row) => [row.name, row.id]),
    );
    for (const leave of crew.leaves)
      await db.query('insert into leaves (person_id, from_on, to_on, cover_id) values ($1::bigint, $2::date, $3::date, $4::bigint)', [
        personIds.get(leave.person),
        leave.from,
        leave.to,
        leave.cover && personIds.get(leave.cover),
      ]);
    await arrange(db, crew);
    await openAccounts(db, personIds);
    const { courseIds, requiredUnits, quizzes, signOffs } = await makeCourses(db, personIds, start);
    const calendars = new Map((await listCalendars(db)).map((calendar) => [calendar.id, calendar]));
    const siteNames = new Map(
      (await rows<{ id: string; name: string }>(db, 'select id, name from sites')).map((row) => [row.name, calendars.get(row.id)!]),
    );
    const past = makeHistory({ crew, personIds, courseIds, requiredUnits, quizzes, signOffs, calendars: siteNames });
    const ids = await storeAssignments(db, past);
    await makeDrills(db, courseIds.get('Fire Teams Aboard')!, start);
    await makeAsked(db, courseIds.get('Fire Teams Aboard')!, start);
    await makeRequirements(db, start);
    await storeNotices(db, ids, start, options.baseUrl, personIds.get(CAST.bounced)!);
    // what is still to come, by the same planner that runs every day
    const house = await getHouse(db);
    for (let from = 0; from < ids.length; from += 2_000) await replan(db, house, ids.slice(from, from + 2_000), start);
    await db.query('delete from replan');
    await settleFeed(db, start, options.feedUrl);
    await requestReconcileAll(db);
    // what was put in here beside the ways of the house is sealed with the rest
    await db.query('delete from seal_queue');
    await db.query('select seal_all()');
  });
  await pool.query('analyze');
}

async function settle(db: Client, start: number, isTicking: boolean): Promise<void> {
  await db.query(
    `insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, replies_to_trainer, inbound_address, list_id, is_demo)
     values ('Orlasund Ferries', 'Europe/Oslo', 'Orla Quay', 'Safety training', 'training@orlasund.example', 'tora.hauge@orlasund.example', true, 'replies@orlasund.example',
       'training.orlasund.example', true)`,
  );
  await db.query('insert into demo_clock (base_at, set_at, is_ticking) values ($1::timestamptz, $2::timestamptz, $3::boolean)', [
    new Date(start),
    new Date(),
    isTicking,
  ]);
}

/** Departments below each other, and groups. */
async function arrange(db: Client, crew: Crew): Promise<void> {
  for (const [above, below] of Object.entries(ABOVE)) {
    const { id } = await oneRow<{ id: string }>(db, 'insert into departments (name) values ($1::text) returning id', [above]);
    await db.query('update departments set parent_id = $1::bigint where name = any($2::text[])', [id, below]);
  }
  for (const group of GROUPS) {
    const { id } = await oneRow<{ id: string }>(db, 'insert into groups (name, about) values ($1::text, $2::text) returning id', [
      group.name,
      group.about,
    ]);
    const members = crew.people.filter((person, index) => group.isIn(person, index)).map(({ email }) => email);
    await db.query('insert into group_members (group_id, person_id) select $1::bigint, id from people where email = any($2::text[])', [
      id,
      members,
    ]);
  }
}

/** The personnel feed as it was pulled on the first morning: nothing in it is news yet. */
async function settleFeed(db: Client, start: number, url: string | null): Promise<void> {
  if (!url) return;
  const people = rosterOn(START_ON);
  const zone = Zone.of('Europe/Oslo');
  const pulledAt = zone.toInstant(dayOf(START_ON), msOfTime('06:00'));
  await db.query("insert into feed (url, times, next_at, last_ok_at) values ($1::text, '{06:00}', $2::timestamptz, $3::timestamptz)", [
    url,
    new Date(nextTime(['06:00'], zone, start)),
    new Date(pulledAt),
  ]);
  await db.query("insert into pulls (at, outcome, words) values ($1::timestamptz, 'unchanged', $2::text)", [
    new Date(pulledAt),
    `${people.length} people, nothing differs from the roster.`,
  ]);
  await keepFeedRows(db, people);
}

async function openAccounts(db: Client, personIds: ReadonlyMap<string, string>): Promise<void> {
  const password = await hashPassword('orlasund');
  const accounts: [string, string, string][] = [
    ['administrator', CAST.administrator, 'assigns, plans, sees everything'],
    ['trainer', CAST.trainer, 'owns courses, answers replies'],
    ['manager', CAST.deckHead, 'head of deck, Orla Quay'],
    ['manager', CAST.terminalHead, 'head of terminals, Tarn Ness, London time'],
    ['employee', CAST.employee, 'deckhand on the vessels'],
    ['auditor', CAST.auditor, 'reads everything, changes nothing'],
  ];
  for (const [role, name, about] of accounts)
    await db.query(
      'insert into accounts (email, name, role, person_id, password_hash, about) values ($1::text, $2::text, $3::text, $4::bigint, $5::text, $6::text)',
      [emailOf(name), name, role, personIds.get(name), password, about],
    );
}

/** The file that belongs into a unit, looked at as one that somebody sent. */
async function mediaOf(
  db: Client,
  course: string,
  unit: { kind: string; title: string },
): Promise<{ fileId: string | null; video?: Video }> {
  const put = async (name: string, content: Uint8Array): Promise<string> => {
    const { id, bytes } = await putFile(db, { name, type: 'application/octet-stream', content, purpose: 'course' });
    const { type, about } = await lookAt(db, { id, name, type: '', size: bytes });
    await knowFile(db, id, name, type, about);
    return id;
  };
  switch (unit.kind) {
    case 'file':
      return { fileId: await put(`${unit.title}.pdf`, await makeRingCard(course, unit.title)) };
    case 'video': {
      const captions = [{ fileId: await put('muster.en.vtt', musterCaptions()), language: 'en' }];
      return { fileId: await put('muster.mp4', musterFilm()), video: { share: 90, seconds: MUSTER_SECONDS, captions } };
    }
    case 'package':
      return { fileId: await put('man-overboard.zip', overboardPackage()) };
    default:
      return { fileId: null };
  }
}

async function makeCourses(
  db: Client,
  personIds: ReadonlyMap<string, string>,
  start: number,
): Promise<{ courseIds: Map<string, string>; requiredUnits: Map<string, string[]>; quizzes: Map<string, Quiz>; signOffs: Set<string> }> {
  const courseIds = new Map<string, string>();
  const requiredUnits = new Map<string, string[]>();
  const drills = await makeDesigns(db, start);
  for (const { draft, owner, plan } of COURSES) {
    const certificateDesignId = DRILL_COURSES.includes(draft.title) ? drills : null;
    const id = await insertCourse(db, { ...draft, ownerId: personIds.get(owner)!, certificateDesignId });
    const sections = await Promise.all(
      draft.sections.map(async (section) => ({
        ...section,
        units: await Promise.all(
          section.units.map(async (unit) => ({
            ...unit,
            body: unit.body == null ? null : cleanPage(unit.body),
            ...(await mediaOf(db, draft.title, unit)),
          })),
        ),
      })),
    );
    await saveSections(db, id, sections);
    await keepVersion(db, id, start - 450 * DAY_MS, CAST.trainer);
    const { required_units } = await oneRow<{ required_units: string[] }>(db, 'select required_units from courses where id = $1::bigint', [
      id,
    ]);
    courseIds.set(draft.title, id);
    requiredUnits.set(draft.title, required_units);
    const director = `person ${personIds.get(CAST.director)!}`;
    const steps = (plan ? plan(STANDARD_PLAN) : STANDARD_PLAN).map((step) => ({ ...step, to: step.to.map((role) => (role === DIRECTOR ? director : role)) })); // prettier-ignore
    await writePlan(db, id, draft.title, steps, start);
  }
  const quizzes = await rows<{ id: string; quiz: Quiz }>(db, "select id, content -> 'quiz' as quiz from units where kind = 'quiz'");
  const signOffs = await rows<{ id: string }>(db, "select id from units where kind = 'sign-off'");
  return { courseIds, requiredUnits, quizzes: new Map(quizzes.map(({ id, quiz }) => [id, quiz])), signOffs: new Set(signOffs.map(({ id }) => id)) }; // prettier-ignore
}

/** The card of one's station comes with what tells what to bring: as a download of one's own, for three days. */
async function withCard(db: Client, id: string, title: string, steps: readonly PlanStep[], start: number): Promise<PlanStep[]> {
  const content = await makeRingCard(title, 'Muster card');
  const file = await putFile(db, { name: 'Muster card.pdf', type: 'application/pdf', content, purpose: 'handout', about: { pages: 1 } });
  const handout = await insertHandout(db, id);
  await putHandoutFile(db, handout, 1, file.id, { at: start - 450 * DAY_MS, byWhom: CAST.trainer });
  const files = [{ handout, as: 'download' as const, hours: 72, times: null, mayAsk: true }];
  return steps.map((step) => (step.id === 'onboarding' ? { ...step, message: { ...step.message, files } } : step));
}

/** The plan of a course: one has a history of three versions, another a draft in which the words and the hours differ, a third is held. */
async function writePlan(db: Client, id: string, title: string, standard: readonly PlanStep[], start: number): Promise<void> {
  const steps = title === 'Muster and Abandon Ship' ? await withCard(db, id, title, standard, start) : standard;
  const published = (version: number, days: number, list: readonly PlanStep[], note: string | null): Promise<unknown> =>
    putPlan(db, id, version, start - days * DAY_MS, CAST.trainer, list, note);
  if (title === 'Fire Teams Aboard') {
    const first = steps.filter((step) => step.id !== 'to-manager');
    await published(1, 520, first.map((step) => (step.id === 'late' ? { ...step, repeat: null } : step)), 'As it began'); // prettier-ignore
    await published(2, 480, first, 'Who is late hears of it four times, not once');
    await published(3, 450, steps, 'The manager hears of it too, once a day');
  } else await published(1, 450, steps, null);
  if (title === 'Passenger Assistance')
    await db.query(
      `insert into holds (scope, of_id, name, until_on, reason, made_at, made_by)
       values ('plan', $1::bigint, $2::text, $3::date, 'The ramps are rebuilt; the texts are written anew first', $4::timestamptz, $5::text)`,
      [id, title, dateOf(dayOf(START_ON) + 12), new Date(start - 14 * 3_600_000), CAST.administrator],
    );
  if (title === 'Cash and Ticket Data') {
    const draft = steps.map((step) => (step.id === 'two-days-to-go' ? { ...step, offset: { amount: -72, unit: 'hours' as const } } : step));
    await db.query(
      'insert into plan_drafts (course_id, version, written, save, steps, saved_at, saved_by) values ($1::bigint, 1, 1, gen_random_uuid(), $2::jsonb, $3::timestamptz, $4::text)',
      [id, JSON.stringify(draft), new Date(start - 18 * 3_600_000), CAST.administrator],
    );
  }
}

/** What supervisors entered for each sign-off that happened: the manager of each, else the trainer. */
async function storeSignOffs(db: Client): Promise<void> {
  await db.query(
    `insert into sign_offs (assignment_id, unit_id, criteria, attended, met, outcome, remarks, place, on_date, at, by_person_id, by_whom, because, event_id, list_key)
     select e.assignment_id, u.id, u.content -> 'signOff' -> 'criteria', o.attended,
       case when o.is_met then array(select c ->> 'id' from jsonb_array_elements(u.content -> 'signOff' -> 'criteria') as c) when o.attended then '{throw}' else '{}' end,
       case when o.is_met then 'met' when o.attended then 'not-met' else 'absent' end,
       case when o.attended and not o.is_met then 'Stood in the bight; to be shown again' end, s.name, (e.at at time zone s.zone)::date, e.at,
       coalesce(m.id, t.id), coalesce(m.name, t.name), case when m.id is null then 'trainer of the course' else 'their manager' end, e.id, 'demo-' || e.id
     from assignment_events e
     join assignments a on a.id = e.assignment_id
     join courses k on k.id = a.course_id
     join people p on p.id = a.person_id
     join sites s on s.id = p.site_id
     join units u on u.id = (e.data ->> 'unit')::bigint
     join people t on t.id = k.owner_id
     left join people m on m.id = p.manager_id
     cross join lateral (select coalesce((e.data ->> 'attended')::boolean, true) as attended, coalesce((e.data ->> 'met')::boolean, false) as is_met) o
     where e.type = 'signed-off'
     order by e.at, e.id`,
  );
}

async function storeAssignments(db: Client, past: readonly PastAssignment[]): Promise<string[]> {
  const closed = past.map((a) => a.events.find((event) => event.type === 'finished') ?? null);
  const stored = await rows<{ id: string }>(
    db,
    `insert into assignments (person_id, course_id, round, assigned_at, assigned_by, first_due_at, due_at, closed_at, closed_by, token)
     select r.person, r.course, r.round, r.assigned, r.by_whom, r.due, r.due, r.closed, case when r.closed is not null then 'finished' end, r.token
     from unnest($1::bigint[], $2::bigint[], $3::integer[], $4::timestamptz[], $5::text[], $6::timestamptz[], $7::timestamptz[], $8::text[])
       with ordinality as r (person, course, round, assigned, by_whom, due, closed, token, n)
     order by r.n
     returning id`,
    [
      past.map((a) => a.person),
      past.map((a) => a.course),
      past.map((a) => a.round),
      past.map((a) => new Date(a.assignedAt)),
      past.map((a) => a.assignedBy),
      past.map((a) => new Date(a.dueAt)),
      closed.map((event) => event && new Date(event.at)),
      past.map(() => newToken()),
    ],
  );
  const ids = stored.map((row) => row.id);
  const events = past.flatMap((a, i) => {
    const assigned: AssignmentEvent = { type: 'assigned', at: a.assignedAt, dueAt: a.dueAt };
    return [assigned, ...a.events].map((event) => ({
      id: ids[i]!,
      type: event.type,
      at: event.at,
      data: encodeEvent(
        event.type === 'certificate-issued'
          ? { ...event, serial: a.certificate!.serial }
          : event.type === 'finished'
            ? { ...event, version: 1 }
            : event,
      ),
    }));
  });
  await db.query(
    'insert into assignment_events (assignment_id, type, at, data) select * from unnest($1::bigint[], $2::text[], $3::timestamptz[], $4::jsonb[])',
    [
      events.map((e) => e.id),
      events.map((e) => e.type),
      events.map((e) => new Date(e.at)),
      events.map((e) => e.data && JSON.stringify(e.data)),
    ],
  );
  for (let from = 0; from < ids.length; from += 2_000) await readAgain(db, ids.slice(from, from + 2_000));
  await storeSignOffs(db);
  const attempts = past.flatMap((a, i) => a.attempts.map((attempt) => ({ ...attempt, assignment: ids[i]! })));
  await db.query(
    `insert into quiz_attempts (assignment_id, unit_id, number, drawn, pass, shows, answers, begun_at, submitted_at, points, max, percent, is_passed)
     select r.a, r.unit, r.n, r.drawn, $12::numeric, $13::text, r.answers, r.begun, r.submitted, r.points, r.max, r.percent, r.passed
     from unnest($1::bigint[], $2::bigint[], $3::integer[], $4::jsonb[], $5::jsonb[], $6::timestamptz[], $7::timestamptz[], $8::numeric[], $9::numeric[],
       $10::numeric[], $11::boolean[]) as r (a, unit, n, drawn, answers, begun, submitted, points, max, percent, passed)`,
    [
      attempts.map((one) => one.assignment),
      attempts.map((one) => one.unit),
      attempts.map((one) => one.number),
      attempts.map((one) => JSON.stringify(one.drawn)),
      attempts.map((one) => JSON.stringify(one.answers)),
      attempts.map((one) => new Date(one.at - 9 * 60_000)),
      attempts.map((one) => new Date(one.at)),
      attempts.map((one) => one.scored.points),
      attempts.map((one) => one.scored.max),
      attempts.map((one) => one.scored.percent),
      attempts.map((one) => one.scored.isPassed),
      attempts[0]?.pass ?? 0,
      attempts[0]?.shows ?? 'own',
    ],
  );
  const certified = past.flatMap((a, i) => (a.certificate ? [{ id: ids[i]!, ...a.certificate }] : []));
  const printed = await printedFor(
    db,
    certified.map(({ id, serial, issuedOn, expiresOn }) => ({ assignmentId: id, serial, issuedOn, expiresOn })),
  );
  await db.query(
    `insert into certificates (
       assignment_id, person_id, course_id, serial, person_name, course_title, issued_on, expires_on, issued_by, design_id, design_version, printed,
       issued_at
     )
     select a.id, a.person_id, a.course_id, r.serial, p.name, c.title, r.issued_on, r.expires_on, p.name,
       coalesce(c.certificate_design_id, h.certificate_design_id), 1, r.printed,
       (select min(e.at) from assignment_events e where e.assignment_id = a.id and e.type = 'certificate-issued')
     from unnest($1::bigint[], $2::text[], $3::date[], $4::date[], $5::jsonb[]) as r (id, serial, issued_on, expires_on, printed)
     join assignments a on a.id = r.id
     join people p on p.id = a.person_id
     join courses c on c.id = a.course_id
     cross join settings h
     order by r.issued_on, a.id`,
    [
      certified.map((c) => c.id),
      certified.map((c) => c.serial),
      certified.map((c) => c.issuedOn),
      certified.map((c) => c.expiresOn),
      certified.map((c) => JSON.stringify(printed.get(c.id))),
    ],
  );
  return ids;
}

/** The ledger of the past: the rules are played over what happened, and each notice is kept as it would have been sent. */
async function storeNotices(db: Client, ids: readonly string[], start: number, baseUrl: string, bouncedPerson: string): Promise<void> {
  const house = await getHouse(db);
  const facts = await loadFacts(db, house, ids);
  const lines = rehearse({
    from: 0,
    until: start,
    roster: facts.roster,
    withTrace: true,
    plans: [...facts.plans.values()].map((plan) => ({
      course: plan.course,
      publishedAt: plan.publishedAt,
      steps: plan.steps.filter((step) => step.on),
    })),
    assignments: [...facts.assignments.values()],
  }).filter((line) => line.outcome !== 'wait');
  const stepOf = (line: RehearsalLine): PlanStep =>
    facts.plans.get(facts.assignments.get(line.assignment)!.course)!.steps.find((step) => step.id === line.step)!;
  const mailOf = await storeMails(db, lines, stepOf, facts, baseUrl);
  // the last message to one address came back
  const bounced = lines.filter((line) => line.outcome === 'send' && line.person === bouncedPerson && line.to === 'employee').at(-1);
  const refusal = `550 5.1.1 <${emailOf(CAST.bounced)}>: no such mailbox`;
  const zone = Zone.of(house.zone);
  await db.query(
    `insert into notices (
       assignment_id, course_id, person_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at,
         at, on_day, state, because,
       held_because, recipient_id, recipient_name, sentence, trace, decided_at, sent_at, message_id, attempts, last_error
     )
     select r.assignment_id, a.course_id, a.person_id, r.step_id, r.step_name, r.kind, r.revision, r.occurrence, r.to_role, r.gathered,
       r.anchor_at, r.moment, r.known_at, r.at, r.on_day, r.state, r.because,
       r.held_because, r.recipient_id, p.name, r.sentence, r.trace, r.at, r.sent_at, r.message_id, r.attempts, r.last_error
     from unnest(
       $1::bigint[], $2::text[], $3::text[], $4::text[], $5::integer[], $6::integer[], $7::text[], $8::boolean[], $9::timestamptz[],
         $10::timestamptz[], $11::timestamptz[], $12::timestamptz[],
       $13::date[], $14::text[], $15::text[], $16::text[], $17::bigint[], $18::text[], $19::jsonb[], $20::timestamptz[], $21::bigint[],
         $22::integer[], $23::text[]
     ) as r (
      assignment_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, at, on_day,
      state, because, held_because, recipient_id, sentence, trace, sent_at, message_id, attempts, last_error
    )
     join assignments a on a.id = r.assignment_id
     left join people p on p.id = r.recipient_id
     order by r.at`,
    [
      lines.map((l) => l.assignment),
      lines.map((l) => l.step),
      lines.map((l) => stepOf(l).name),
      lines.map((l) => stepOf(l).kind),
      lines.map((l) => l.revision),
      lines.map((l) => l.occurrence),
      lines.map((l) => l.to),
      lines.map((l) => stepOf(l).gather === 'per day'),
      lines.map((l) => new Date(l.slot!.anchorAt)),
      lines.map((l) => new Date(l.slot!.moment)),
      lines.map((l) => new Date(l.slot!.knownAt)),
      lines.map((l) => new Date(l.at!)),
      lines.map((l) => dateOf(zone.dayAt(l.at!))),
      lines.map((l) => (l === bounced ? 'bounced' : l.outcome === 'send' ? 'delivered' : 'skipped')),
      lines.map((l) => (l === bounced ? 'bounced' : l.because)),
      lines.map((l) => l.held),
      lines.map((l) => l.person),
      lines.map((l) => (l === bounced ? `Bounced: the mail server answered “${refusal}”.` : l.sentence.replace(/^Goes to/, 'Went to'))),
      lines.map((l) => JSON.stringify(l.trace)),
      lines.map((l) => (l.outcome === 'send' && l !== bounced ? new Date(l.at!) : null)),
      lines.map((l) => mailOf.get(l) ?? null),
      lines.map((l) => (l.outcome === 'send' ? 1 : 0)),
      lines.map((l) => (l === bounced ? refusal : null)),
    ],
  );
  if (bounced)
    await db.query("update people set address_state = 'bounced', address_words = $2::text where id = $1::bigint", [bouncedPerson, refusal]);
  await db.query(STORE_DELIVERIES);
  await db.query(TO_THE_CHAT, [DRILLS]);
  await db.query(MAY_DECLINE);
  await db.query('update messages m set composed_at = d.handed_at from deliveries d where d.message_id = m.id');
}

/** The channel of the chat in which one course tells who finished. */
const DRILLS = 'drills';
// the office is told in the chat beside mail
const TO_THE_CHAT = `
with told as (update courses set told_in = $1::text where title = 'Muster and Abandon Ship')
update people set reached_by = 'both' where department_id = (select id from departments where name = 'Office')
`;
// tips of one course may be declined from now on
const MAY_DECLINE = `
with chosen as (
  select p.course_id, jsonb_agg(case when s ->> 'id' = 'onboarding' then s || '{"mayDecline": true}' else s end order by at) as steps
  from plans p
  cross join lateral jsonb_array_elements(p.steps) with ordinality as e (s, at)
  where p.course_id = (select id from courses where told_in is not null)
  group by p.course_id
),
kept as (update plan_versions v set steps = c.steps from chosen c join plans p on p.course_id = c.course_id where v.course_id = c.course_id and v.version = p.version)
update plans p set steps = c.steps from chosen c where p.course_id = c.course_id
`;

// each message of the past was brought to its address once: taken, or refused for good
const STORE_DELIVERIES = `
insert into deliveries (message_id, address, attempt, handed_at, answered_at, outcome, answer, delivered_at, report)
select distinct on (m.id)
  m.id, m.to_address, 1, n.at, n.at, case when n.state = 'bounced' then 'refused' else 'accepted' end,
  coalesce(n.last_error, '250 2.0.0 accepted for delivery'), case when n.state = 'delivered' then n.at end,
  case when n.state = 'delivered' then '250 2.0.0 accepted for delivery' end
from messages m
join notices n on n.message_id = m.id
order by m.id, n.id
`;

async function storeMails(
  db: Client,
  lines: readonly RehearsalLine[],
  stepOf: (line: RehearsalLine) => PlanStep,
  facts: Facts,
  baseUrl: string,
): Promise<Map<RehearsalLine, string>> {
  const certificates = new Map(
    (
      await rows<{ assignment_id: string; serial: string; expires_on: string | null }>(
        db,
        'select assignment_id, serial, expires_on from certificates',
      )
    ).map((row) => [row.assignment_id, { serial: row.serial, expiresOn: row.expires_on }]),
  );
  const groups = new Map<string, RehearsalLine[]>();
  for (const line of lines) {
    if (line.outcome !== 'send') continue;
    const step = stepOf(line);
    const key =
      step.gather === 'per day'
        ? `${line.person}/${step.kind}/${line.at}`
        : `${line.assignment}/${line.step}/${line.revision}/${line.occurrence}/${line.to}`;
    groups.set(key, [...(groups.get(key) ?? []), line]);
  }
  const drafts: { lines: RehearsalLine[]; mail: MessageDraft }[] = [];
  for (const group of groups.values()) {
    const [first] = group;
    const step = stepOf(first!);
    const person = facts.roster.getPerson(first!.person!);
    const recipient = { person, address: person.email, path: [] };
    // an assignment as it was then: what was done later was not known
    const assignments = group.map((line) => {
      const assignment = facts.assignments.get(line.assignment)!;
      const events = assignment.events.filter((event) => event.at <= line.at!);
      return {
        ...assignment,
        events,
        unitsDone: events.flatMap((event) => (event.type === 'unit-finished' ? [event.unit] : [])),
      };
    });
    const message = compose({ step, recipient, assignments }, facts, { baseUrl, certificates, told: new Map() }, first!.at!);
    drafts.push({
      lines: group,
      mail: {
        message_id: `<history-${drafts.length + 1}@orlasund.example>`,
        to_name: person.name,
        to_address: person.email!,
        from_name: message.fromName,
        from_address: facts.house.senderAddress,
        reply_to: message.replyTo,
        replies_to: message.repliesTo,
        subject: message.subject,
        html: message.html,
        body: message.text,
        calendar: message.calendar,
        files: message.files,
      },
    });
  }
  const mailOf = new Map<RehearsalLine, string>();
  for (let from = 0; from < drafts.length; from += 1_000) {
    const part = drafts.slice(from, from + 1_000);
    const ids = await insertMessages(
      db,
      part.map(({ mail }) => mail),
      0,
    );
    for (const { lines: group, mail } of part) for (const line of group) mailOf.set(line, ids.get(mail.message_id)!);
  }
  return mailOf;
}
