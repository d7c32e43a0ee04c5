import { LINK_KINDS, withSigned, type PersonalLink } from '../access/personal-link.ts';
import {
  ARRIVAL_WORDS,
  decide,
  decodeEvent,
  addresseeOf,
  isoOf,
  oneLine,
  sentenceOf,
  slotsOf,
  tellDay,
  tellEvent,
  tellMoment,
  tellTime,
  clauseOf,
  waitReason,
  waitSentence,
  Zone,
  type Check,
  type Decision,
  type Instant,
  type PlanStep,
  type Slot,
} from '@nudrik/core';
import type { MailView, NoticeAct, NoticeSheet, Ribbon } from '@nudrik/contract';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { missingIn } from '../messages/compose.ts';
import { listDeliveries, listMessages, type DeliveryRow, type MessageRow } from '../messages/messages.repo.ts';
import { findChatPostOf } from '../chat/chat.repo.ts';
import { listCopiesOf } from '../copies/copies.repo.ts';
import { withoutLinks, withoutLinksIn } from '../messages/redacted.ts';
import { withoutTag } from '../messages/reply-address.ts';
import { listArrivalsOfNotice, listOfNotice } from '../conversations/conversations.repo.ts';
import { listUses } from '../handouts/handouts.repo.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { listCertificates } from './dispatch.repo.ts';
import { againOf } from './by-hand.ts';
import { findStep, loadFacts, noticesOf, type AssignmentFacts, type Facts } from './facts.ts';
import { NOTICE_COLUMNS, NOTICE_TABLES, rowOf, type NoticeDbRow } from './ledger.rows.ts';

interface FollowedRow {
  id: string;
  type: string;
  at: Date;
  data: Record<string, unknown> | null;
}
const LIST_FOLLOWED = `
select id, type, at, data
from assignment_events
where assignment_id = $1::bigint
  and at >= $2::timestamptz
order by at
limit 20
`;

const LIST_OPENINGS = `
select at
from link_openings
where assignment_id = $1::bigint
  and at >= $2::timestamptz
order by at
limit 3
`;

const LIST_SHARING = `
select n.id, case when n.person_id = own.person_id then n.step_name else p.name end as name
from notices n
join notices own on own.id = $2::bigint
join people p on p.id = n.person_id
where n.message_id = $1::bigint
  and n.id <> $2::bigint
order by name
`;

/** One notice with everything about it: the mail as it was sent, when, why, and what followed. */
export async function findNoticeSheet(deps: Deps, id: string, reader: string | null = null): Promise<NoticeSheet> {
  const row = await maybeRow<NoticeDbRow & { job: string | null; site: string }>(
    deps.db,
    `select ${NOTICE_COLUMNS}, p.job, s.name as site ${NOTICE_TABLES} where n.id = $1::bigint`,
    [id],
  );
  if (!row) throw new Refused('not-found', 'There is no such notice, or not any more.');
  const zone = Zone.of(row.recipient_zone ?? row.person_zone);
  const now = deps.clock.now();
  const today = zone.dayAt(now);
  const told = (at: Date): string => tellMoment(at.getTime(), zone, now);
  const house = await getHouse(deps.db);
  const [message] = row.message_id ? await listMessages(deps.db, [row.message_id]) : [];
  const deliveries = row.message_id ? await listDeliveries(deps.db, [row.message_id]) : [];
  const last = deliveries.at(-1);
  const timeline: NoticeSheet['timeline'] = [{ what: 'planned', at: row.moment.toISOString(), words: told(row.moment) }];
  if (row.held_because)
    timeline.push({
      what: 'held',
      at: row.at.toISOString(),
      words:
        row.state === 'held' && row.held_because !== 'leave' && row.held_because !== 'daily-limit'
          ? 'until that is mended'
          : `to ${told(row.at)}`,
    });
  const seconds = (at: Date): string => `${tellTime(at.getTime(), zone)}:${at.toISOString().slice(17, 19)}`;
  for (const delivery of deliveries) {
    const { attempt, channel, address, handed_at, outcome, answer } = delivery;
    const inChat = channel === 'chat' ? `, in the chat to ${address}` : '';
    if (outcome === 'accepted')
      timeline.push({
        what: 'sent',
        at: handed_at.toISOString(),
        words: `${tellDay(zone.dayAt(handed_at.getTime()), today)} ${seconds(handed_at)} as ${message?.from_name ?? house.senderName}${inChat}`,
      });
    else
      timeline.push({
        what: outcome === 'refused' ? 'bounced' : outcome === 'later' ? `attempt ${attempt}` : 'on its way',
        at: handed_at.toISOString(),
        words: answer === null ? `${told(handed_at)}${inChat}: not answered yet` : `${told(handed_at)}${inChat}: “${answer}”`,
      });
  }
  if (last?.delivered_at && row.state === 'delivered') {
    const isSameDay = zone.dayAt(last.delivered_at.getTime()) === zone.dayAt(last.handed_at.getTime());
    timeline.push({
      what: 'delivered',
      at: last.delivered_at.toISOString(),
      words:
        `${isSameDay ? '' : `${tellDay(zone.dayAt(last.delivered_at.getTime()), today)} `}` +
        `${seconds(last.delivered_at)} “${last.report ?? last.answer ?? ''}”`,
    });
  }
  if (row.state === 'failed')
    timeline.push({ what: 'failed', at: (row.decided_at ?? row.at).toISOString(), words: `“${row.last_error ?? ''}”` });

  if (row.by_hand) {
    const { what, by, at, reason } = row.by_hand;
    timeline.push({ what: 'by hand', at, words: `${by} ${BY_HAND[what]} ${told(new Date(at))}${reason ? `: ${reason}` : ''}` });
  }
  for (const { name, as } of message?.files ?? []) timeline.push({ what: as === 'attached' ? 'with it' : 'to download', at: (row.sent_at ?? row.at).toISOString(), words: name }); // prettier-ignore
  const beside = message && (await findChatPostOf(deps.db, message.id));
  if (beside)
    timeline.push({
      what: 'in the chat',
      at: (beside.went_at ?? row.sent_at ?? row.at).toISOString(),
      words: `to ${beside.to_person}, beside mail: ${beside.state === 'went' ? told(beside.went_at!) : beside.state === 'failed' ? `did not go, “${beside.words ?? ''}”` : 'on its way'}`,
    });
  for (const copy of message ? await listCopiesOf(deps.db, message.id) : [])
    timeline.push({
      what: 'copy',
      at: (copy.told_at ?? row.sent_at ?? row.at).toISOString(),
      words: `to ${copy.to_name || copy.to_address}, ${copy.is_each ? 'by itself' : 'in the summary of the day'}${copy.told_at ? ` ${told(copy.told_at)}` : ''}${copy.state === 'failed' ? `: did not go, “${copy.words ?? ''}”` : ''}`,
    });
  for (const { at, name } of await listUses(deps.db, [id]))
    timeline.push({ what: 'opened', at: at.toISOString(), words: `${told(at)}: ${name}` });
  for (const { at, kind, subject, body } of await listArrivalsOfNotice(deps.db, id))
    timeline.push({ what: ARRIVAL_WORDS[kind], at: at.toISOString(), words: `${told(at)}: “${oneLine(`${subject}: ${body}`, 300)}”` });
  const explained = await explain(deps, row);
  const followed = row.sent_at ? await rows<FollowedRow>(deps.db, LIST_FOLLOWED, [row.assignment_id, row.sent_at]) : [];
  const opened = row.sent_at ? await rows<{ at: Date }>(deps.db, LIST_OPENINGS, [row.assignment_id, row.sent_at]) : [];
  const gatheredWith =
    row.gathered && row.message_id ? await rows<{ id: string; name: string }>(deps.db, LIST_SHARING, [row.message_id, id]) : [];
  return {
    notice: rowOf(row, now, gatheredWith.length),
    stepName: row.step_name,
    kind: row.kind,
    course: { id: row.course_id, title: row.course_title },
    person: { id: row.person_id, name: row.person_name, job: row.job, site: row.site },
    ...explained,
    timeline,
    mail: message
      ? mailView(
          message,
          last,
          message.from_name ?? house.senderName,
          reader !== null && reader === row.recipient_id ? await ownLinks(deps, reader, message) : null,
        )
      : null,
    followed: [
      ...opened.map(({ at }) => {
        const personZone = Zone.of(row.person_zone);
        return { at: at.toISOString(), words: `${tellMoment(at.getTime(), personZone, now)}: ${row.person_name} opened the course` };
      }),
      ...followed.flatMap(({ id, type, at, data }) => {
        const event = decodeEvent({ id, type, at: at.getTime(), data });
        const personZone = Zone.of(row.person_zone);
        const facts = { course: row.course_title, unit: null, zone: personZone, now, takenBack: null };
        return event ? [{ at: at.toISOString(), words: `${tellMoment(at.getTime(), personZone, now)}: ${tellEvent(event, facts)}` }] : [];
      }),
    ].sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0)),
    gatheredWith,
    conversations: await listOfNotice(deps.db, id),
    acts: actsOn(row, now),
    again: await againFor(deps, row),
  };
}

const BY_HAND: Record<NoticeAct['what'], string> = {
  skip: 'skipped it on',
  send: 'sent it before its moment, on',
  restore: 'took the skip back on',
};

/** What may be done by hand to a notice as it stands. */
function actsOn({ state, because, moment }: NoticeDbRow, now: Instant): NoticeAct['what'][] {
  if (state === 'planned' || state === 'held') return ['skip', 'send'];
  return state === 'skipped' && because === 'by-hand' && moment.getTime() > now ? ['restore'] : [];
}

/** With what text one that went, or failed, goes again. */
async function againFor(deps: Deps, row: NoticeDbRow): Promise<NoticeSheet['again']> {
  if (!['sent', 'delivered', 'bounced', 'failed'].includes(row.state) || row.to_role !== 'employee') return null;
  const facts = await loadFacts(deps.db, await getHouse(deps.db), [row.assignment_id]);
  return againOf(facts, row.assignment_id, row.step_id, row.to_role);
}

const OWN_LINKS = `
select 'go' as kind, token
from assignments
where person_id = $1::bigint
  and token = any($2::text[])
union all
select 'team', team_token
from people
where id = $1::bigint
  and team_token = any($2::text[])
union all
select 'download', token
from downloads
where person_id = $1::bigint
  and token = any($2::text[])
union all
select 'sign-off', token
from sign_off_links
where person_id = $1::bigint
  and token = any($2::text[])
union all
select 'decline', id::text
from notices
where recipient_id = $1::bigint
  and id = any($3::bigint[])
`;

const IN_BODY = new RegExp(`/(?:${LINK_KINDS.join('|')})/([\\w-]+)`, 'g');

/** A letter as its own reader sees it: with the links that are theirs, signed as they were sent. */
async function ownLinks({ db, settings }: Deps, reader: string, mail: MessageRow): Promise<(text: string) => string> {
  const tokens = [...mail.body.matchAll(IN_BODY)].map(([, token]) => token!);
  const links = await rows<PersonalLink>(db, OWN_LINKS, [reader, [...new Set(tokens)], tokens.filter((token) => /^\d{1,18}$/.test(token))]);
  return (text) => links.reduce((signed, link) => withSigned(signed, settings.key, link), text);
}

/** @param signed the links of a letter to the one who looks; null where it is another's */
const mailView = (
  mail: MessageRow,
  last: DeliveryRow | undefined,
  fromName: string,
  signed: ((text: string) => string) | null,
): MailView => ({
  id: mail.id,
  subject: mail.subject,
  to: `${mail.to_name} <${mail.to_address}>`,
  from: `${fromName} <${mail.from_address}>`,
  replyTo: signed ? mail.reply_to : withoutTag(mail.reply_to),
  messageId: mail.message_id,
  html: signed ? signed(mail.html) : withoutLinks(mail.html),
  text: signed ? signed(mail.body) : withoutLinksIn(mail.body),
  sentAt: last?.outcome === 'accepted' ? last.handed_at.toISOString() : null,
  deliveredAt: last?.delivered_at?.toISOString() ?? null,
  response: last?.report ?? last?.answer ?? null,
});

/** How a notice that is still to come would be decided at a moment, by today's facts; nobody's day is counted. */
async function decideAsThingsStand(
  deps: Deps,
  slot: Slot,
  step: PlanStep,
  assignment: AssignmentFacts,
  facts: Facts,
  now: Instant,
): Promise<Decision> {
  const extras = { baseUrl: deps.settings.baseUrl, certificates: await listCertificates(deps.db, [assignment.id]), told: new Map() };
  return decide({
    slot,
    step,
    assignment,
    roster: facts.roster,
    now,
    countOf: () => 0,
    missingOf: missingIn(facts, extras),
    noticesOf: noticesOf(facts),
  });
}

/** A decided notice keeps its trace; one that is still to come is decided here by today's facts, for its own moment. */
async function explain(deps: Deps, row: NoticeDbRow): Promise<{ sentence: string; trace: Check[] }> {
  if (row.state !== 'planned' && row.state !== 'held') return { sentence: row.sentence ?? '', trace: row.trace ?? [] };
  if (row.state === 'held' || row.attempts > 0) return { sentence: row.sentence ?? '', trace: row.trace ?? [] };
  const facts = await loadFacts(deps.db, await getHouse(deps.db), [row.assignment_id]);
  const assignment = facts.assignments.get(row.assignment_id)!;
  const step = findStep(facts.plans.get(row.course_id), row.step_id);
  if (!step) return { sentence: 'The plan no longer has this step.', trace: [] };
  const slot = {
    assignment: assignment.id,
    step: step.id,
    revision: row.revision,
    occurrence: row.occurrence,
    to: row.to_role,
    anchorAt: row.anchor_at.getTime(),
    moment: row.moment.getTime(),
    at: row.at.getTime(),
    knownAt: row.known_at.getTime(),
    missed: null,
    replacedAt: null,
    gaps: [],
    isTakenBack: false,
  };
  const decision = await decideAsThingsStand(deps, slot, step, assignment, facts, slot.at);
  const zone = facts.roster.calendarOf(facts.roster.getPerson(assignment.person)).zone;
  const sentence = sentenceOf(decision, slot, step, zone, slot.at, null);
  return {
    sentence: decision.kind === 'send' ? sentence : `As things stand, ${clauseOf(sentence)}.`,
    trace: decision.trace,
  };
}

const GET_NEWEST_OF_STEP = `
select id
from notices
where assignment_id = $1::bigint
  and step_id = $2::text
order by at desc, id desc
limit 1
`;

/** Why nothing was ever made of a step for an assignment, by its plan as it is now. */
async function explainUnmade(
  deps: Deps,
  facts: Facts,
  assignment: AssignmentFacts,
  step: PlanStep,
): Promise<{ slot: Slot | undefined; sentence: string; trace: Check[] }> {
  const { zone } = facts.roster.calendarOf(facts.roster.getPerson(assignment.person));
  const now = deps.clock.now();
  const slot = slotsOf(step, assignment, facts.roster, facts.plans.get(assignment.course)!.publishedAt, now).find(
    (candidate) => candidate.replacedAt === null,
  );
  if (!step.on)
    return {
      slot,
      sentence: `Not planned: the step “${step.name}” is switched off.`,
      trace: [{ check: 'step is on', result: false, because: 'the step is switched off' }],
    };
  if (!slot)
    return {
      slot,
      sentence: waitSentence(step),
      trace: [{ check: 'its anchor has happened', result: false, because: waitReason(step) }],
    };
  const at = slot.missed ? slot.moment : slot.at;
  const decision = await decideAsThingsStand(deps, slot, step, assignment, facts, Math.max(at, now));
  return { slot, sentence: sentenceOf(decision, slot, step, zone, at, null), trace: decision.trace };
}

/** The sentences of assignments of which a step never made a notice; of a step that is not in the plan (any more) there are none. */
export async function tellUnmade(deps: Deps, assignments: readonly string[], stepId: string): Promise<Map<string, string>> {
  const told = new Map<string, string>();
  if (assignments.length === 0) return told;
  const facts = await loadFacts(deps.db, await getHouse(deps.db), assignments);
  for (const assignment of facts.assignments.values()) {
    const step = findStep(facts.plans.get(assignment.course), stepId);
    if (step) told.set(assignment.id, (await explainUnmade(deps, facts, assignment, step)).sentence);
  }
  return told;
}

/** Why a person has no notice of a step, or which one: the same sentence and trace as for a notice. */
export async function whyStep(deps: Deps, assignmentId: string, stepId: string): Promise<NoticeSheet> {
  const latest = await maybeRow<{ id: string }>(deps.db, GET_NEWEST_OF_STEP, [assignmentId, stepId]);
  if (latest) return findNoticeSheet(deps, latest.id);
  const facts = await loadFacts(deps.db, await getHouse(deps.db), [assignmentId]);
  const assignment = facts.assignments.get(assignmentId);
  const step = assignment && findStep(facts.plans.get(assignment.course), stepId);
  if (!assignment || !step) throw new Refused('not-found', 'There is no such step in the plan of this assignment.');
  const employee = facts.roster.getPerson(assignment.person);
  const zone = facts.roster.calendarOf(employee).zone;
  const now = deps.clock.now();
  const { slot, ...explained } = await explainUnmade(deps, facts, assignment, step);
  const recipient = slot && addresseeOf({ slot, step, assignment }, facts.roster, now, noticesOf(facts));
  return {
    notice: null,
    stepName: step.name,
    kind: step.kind,
    course: { id: assignment.course, title: facts.courses.get(assignment.course)!.title },
    person: { id: employee.id, name: employee.name, job: employee.job, site: employee.site ?? '' },
    ...explained,
    timeline: slot
      ? [
          {
            what: 'its moment',
            at: isoOf(slot.moment),
            words: `${tellMoment(slot.moment, zone)}${recipient?.person && recipient.person.id !== employee.id ? `, to ${recipient.person.name}` : ''}`,
          },
        ]
      : [],
    mail: null,
    followed: [],
    gatheredWith: [],
    conversations: [],
    acts: [],
    again: null,
  };
}

const LIST_RIBBON = `
with house_site as (
  select s.id, s.working_days
  from sites s
  cross join settings h
  order by (s.zone = h.house_zone) desc, s.id
  limit 1
),
counted as (
  select on_day, notice_bucket(state) as bucket, sum(count) as count
  from notices_of_days
  where on_day between $1::date and $2::date
  group by 1, 2
)
select
  d::date as day,
  coalesce(sum(c.count) filter (where c.bucket = 'sent'), 0)::integer as sent,
  coalesce(sum(c.count) filter (where c.bucket = 'planned'), 0)::integer as planned,
  coalesce(sum(c.count) filter (where c.bucket = 'trouble'), 0)::integer as trouble,
  coalesce((select a.notices from ahead_days a where a.day = d::date and a.day > $3::date), 0) as ahead,
  extract(isodow from d)::integer = any(max(hs.working_days)) as is_working,
  (select string_agg(distinct h.name, ', ') from holidays h where h.on_date = d::date) as holiday
from generate_series($1::date, $2::date, interval '1 day') d
cross join house_site hs
left join counted c on c.on_day = d::date
group by d
order by d
`;

/** The strip of days, from kept counts: millions of notices cost nothing here. */
export async function ribbon(db: Queryable, today: string, from: string, to: string): Promise<Ribbon> {
  const found = await rows<{
    day: string;
    sent: number;
    planned: number;
    trouble: number;
    ahead: number;
    is_working: boolean;
    holiday: string | null;
  }>(db, LIST_RIBBON, [from, to, today]);
  return {
    today,
    days: found.map((row) => ({
      day: row.day,
      sent: row.sent,
      planned: row.planned,
      trouble: row.trouble,
      ahead: row.ahead,
      isWorkingDay: row.is_working,
      holiday: row.holiday,
    })),
  };
}
