import {
  dayOf,
  tellAmount,
  tellDate,
  tellDay,
  tellMoment,
  tellTime,
  Zone,
  clauseOf,
  headOfHold,
  HOLD_WORDS,
  tellUntil,
  tellWaits,
  newWordsOf,
  oneLine,
} from '@nudrik/core';
import type { MailboxView, Role, TodayNeed } from '@nudrik/contract';
import { listWaiting as listRepliesWaiting } from '../conversations/conversations.ts';
import { countConversations } from '../conversations/conversations.repo.ts';
import { listFailed } from '../conversations/outbox.repo.ts';
import { oneRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { holdsView } from '../holding/holding.ts';
import { getHouse } from '../house/house.ts';
import { getSettings } from '../house/settings.repo.ts';
import { renewedBy } from '../certificates/running-out.repo.ts';
import { findPause } from '../messages/channels.repo.ts';
import { mailboxView } from '../house/mailbox.ts';
import { brokenMessages } from '../messages/links.ts';
import { isMissingAhead, LACKS } from '../notices/lacks.sql.ts';
import { listWarned } from '../plans/warnings.ts';
import { tellAside } from '../work/set-aside.ts';
import { houseToday } from '../people/today.ts';
import { listHooks } from '../programs/hooks.repo.ts';
import { countToSee } from '../programs/statements.repo.ts';
import { isUnanswered, NOTHING_PLANNED } from './states.ts';

/** Of a plan: what has lines of its own here, and an exact moment on a weekend, which somebody chose. */
const SAID_OTHERWISE = ['no-recipient', 'unreachable', 'day-off'];

const LIST_WAITING = `
select n.last_error as error, count(*)::integer as count, min(n.at) as since, min(n.recipient_name) as name
from notices n
where n.state = 'planned'
  and n.attempts > 0
  and n.try_at is not null
  and n.last_error is distinct from $1::text
group by n.last_error
order by count desc
limit 4
`;

// what would go now if the mail server took it
const COUNT_DUE = `
select count(*)::integer as due
from notices
where state = 'planned'
  and (try_at <= $1::timestamptz or attempts > 0 and try_at is not null)
`;

/** Of what concerns many, so many are named, and the rest is counted. */
const NAMED = 20;

const LIST_UNREACHABLE = `
select p.id, p.name, p.email, p.address_words,
  (select count(*)::integer from notices n where n.recipient_id = p.id and n.state in ('planned', 'held')) as waiting, p.total
from (
  select *, count(*) over ()::integer as total
  from people
  where address_state = 'bounced'
    and is_here(left_on, $1::date)
  order by name
  limit ${NAMED}
) p
order by p.name
`;

const LIST_UNKNOWN = `
select id, name, chat_name, chat_words
from people
where chat_state = 'refused'
  and chat_name is not null
  and is_here(left_on, $1::date)
order by name
limit ${NAMED}
`;

const LIST_NO_RECIPIENT = `
select n.id, p.id as person_id, p.name, c.title, n.sentence
from notices n
join people p on p.id = n.person_id
join courses c on c.id = n.course_id
where n.state = 'skipped'
  and n.because = 'no-recipient'
  and n.on_day > $1::date - 14
order by n.at desc
limit 20
`;

// late, and there is nobody to tell but the owner of the course
const LIST_NO_MANAGER = `
select p.id, p.name, count(a.id)::integer as open, count(a.id) filter (where a.due_at < $2::timestamptz)::integer as late
from people p
join assignments a on a.person_id = p.id and a.closed_by is null
where p.manager_id is null
  and is_here(p.left_on, $1::date)
  and not exists (select 1 from people q where q.manager_id = p.id)
group by p.id
order by late desc, p.name
limit 20
`;

// the kept counts say how many; one is read in full where it is the only one
const LIST_MISSING = `
select k.step_name, c.id as course_id, c.title, k.count, one.sentence, one.person_id
from (
  select course_id, step_name, sum(count)::integer as count
  from notices_of_all_days
  where state = 'held'
    and held_because = 'missing-value'
  group by course_id, step_name
  having sum(count) > 0
) k
join courses c on c.id = k.course_id
left join lateral (
  select n.sentence, n.person_id
  from notices n
  where k.count = 1
    and n.state = 'held'
    and n.try_at is null
    and n.held_because = 'missing-value'
    and n.course_id = k.course_id
    and n.step_name = k.step_name
  limit 1
) one on true
order by k.count desc, c.title, k.step_name
`;

// of these fields those that any step writes
const LIST_USED = `
select f.field
from unnest($1::text[]) f (field)
where exists (
  select 1
  from plans l
  where l.steps::text like '%{' || f.field || '}%'
    or l.steps::text like '%"name": "' || f.field || '"%'
)
`;

// planned within two weeks, and a field in the text has no value: shown before anything is held
const listMissingAhead = (lacks: string): string => `
select
  n.step_name, c.id as course_id, c.title, count(*)::integer as notices, count(distinct n.person_id)::integer as count, min(p.name) as name,
  min(p.id) as person_id, min(n.on_day) as day
from notices n
join courses c on c.id = n.course_id
join people p on p.id = n.person_id
where ${isMissingAhead(lacks, '$1', '$2')}
group by n.step_name, c.id
order by day
`;

const LIST_FAILED = `
select n.id, p.name, n.step_name, c.title, n.sentence
from notices n
join people p on p.id = n.person_id
join courses c on c.id = n.course_id
where n.state = 'failed'
  and n.on_day > $1::date - 14
order by n.at desc
limit 20
`;

// the newest pull that reached the feed, and one that waits
const LIST_PULLS = `
select id, at, outcome, words, jsonb_array_length(rejected) as refused, rejected -> 0 ->> 'reason' as reason
from pulls
where (jsonb_array_length(rejected) > 0 and id = (select max(id) from pulls where outcome in ('taken', 'unchanged')))
  or outcome = 'held'
  or (outcome = 'failed' and id = (select max(id) from pulls))
order by id desc
`;

const LIST_OUTSIDE = `
select q.id, q.name, c.title, count(*)::integer as count, min(p.name) as person
from assignment_reasons r
join assignments a on a.id = r.assignment_id and a.closed_by is null
join requirements q on q.id = r.requirement_id
join courses c on c.id = a.course_id
join people p on p.id = a.person_id
where r.out_since is not null
group by q.id, c.id
order by q.name
`;

/** What the roster needs a person for: pulls that wait, failed or refused rows; and assignments whose people left the audience. */
async function rosterNeeds(db: Queryable, zone: Zone, now: number): Promise<TodayNeed[]> {
  const list: TodayNeed[] = [];
  for (const row of await rows<{ id: string; at: Date; outcome: string; words: string; refused: number; reason: string | null }>(
    db,
    LIST_PULLS,
  )) {
    const act = {
      label: row.outcome === 'held' ? 'Look at it' : 'Open the feed',
      link: row.outcome === 'held' ? `/people/feed?pull=${row.id}` : '/people/feed',
      does: null,
    };
    const when = tellMoment(row.at.getTime(), zone, now);
    if (row.outcome === 'held') list.push({ kind: 'roster', label: 'Roster held', words: `Personnel feed, ${when}: ${row.words}`, act });
    else if (row.outcome === 'failed')
      list.push({ kind: 'roster', label: 'Feed fails', words: `Personnel feed, ${when}: ${row.words}`, act });
    else
      list.push({
        kind: 'roster',
        label: 'Row refused',
        words: `Personnel feed, ${when}: ${row.reason}${row.refused > 1 ? ` And ${row.refused - 1} more.` : ''}`,
        act,
      });
  }
  for (const row of await rows<{ id: string; name: string; title: string; count: number; person: string }>(db, LIST_OUTSIDE))
    list.push({
      kind: 'outside',
      label: 'Out of audience',
      words:
        `${row.count === 1 ? `${row.person} is` : `${row.count} people are`} no longer in the audience of ` +
        `“${row.name}” and ${row.count === 1 ? 'has' : 'have'} ${row.title} open: withdraw or keep?`,
      act: { label: 'Decide', link: `/requirements/${row.id}?show=asks`, does: null },
    });
  return list;
}

// by course, who is late and of whom something holds: that nothing more is planned, since nobody falls silent after the last notice; that
// no answer of the line stands. Each late assignment is looked up, in the order of the index that answers.
const lateWhere = (condition: string): string => `
select c.id, c.title, late.count, p.name as person
from (
  select a.course_id, count(*)::integer as count, min(a.person_id) as person_id
  from (
    select s.open_id as id, s.course_id, s.person_id
    from standings s
    where s.open_id is not null
      and s.due_at < $1::timestamptz
      and s.left_on > $2::date
    order by s.open_id
    offset 0
  ) a
  where ${condition}
  group by a.course_id
) late
join courses c on c.id = late.course_id
join people p on p.id = late.person_id
order by late.count desc, c.title
`;
const LIST_SILENT = lateWhere(NOTHING_PLANNED);
const LIST_UNANSWERED = lateWhere(isUnanswered('$1'));

// what runs out within 30 days, of whom is here and is asked for it again by nobody and by no requirement
const LIST_EXPIRING = `
select c.id, c.title, count(*)::integer as count, min(p.name) as person, min(h.until) as first
from courses c
join standings h on h.course_id = c.id
join people p on p.id = h.person_id
where h.until between $1::date and $1::date + 30
  and h.left_on > $1::date
  and h.open_id is null
  and c.state <> 'retired'
  and not exists (${renewedBy('h')})
group by c.id
order by first, c.title
`;

/** Who falls silent, and what runs out without anybody asking for it again. */
async function silentNeeds(db: Queryable, today: string, now: number): Promise<TodayNeed[]> {
  const list: TodayNeed[] = [];
  const [silent, expiring] = await Promise.all([
    rows<{ id: string; title: string; count: number; person: string }>(db, LIST_SILENT, [new Date(now), today]),
    rows<{ id: string; title: string; count: number; person: string; first: string }>(db, LIST_EXPIRING, [today]),
  ]);
  for (const row of silent)
    list.push({
      kind: 'silent',
      label: 'Silent',
      words:
        `${row.count === 1 ? `${row.person} is` : `${tellAmount(row.count, 'people')} are`} late on ` +
        `${row.title}, and nothing more is planned: no notice follows by itself.`,
      act: { label: row.count === 1 ? 'Show it' : `Show the ${row.count}`, link: `/matrix/${row.id}?state=silent`, does: null },
    });
  for (const row of expiring)
    list.push({
      kind: 'expiring',
      label: 'Runs out',
      words:
        `What ${row.count === 1 ? `${row.person} holds` : `${tellAmount(row.count, 'people')} hold`} of ` +
        `${row.title} runs out, ${row.count === 1 ? 'on' : 'the first on'} ${tellDate(dayOf(row.first))}, ` +
        'and no requirement renews it.',
      act: { label: row.count === 1 ? 'Show it' : `Show the ${row.count}`, link: `/certificates/running-out?within=30&course=${row.id}&asked=no`, does: null }, // prettier-ignore
    });
  return list;
}

const LIST_ASKED = `
select p.name, c.title, w.reason, w.asked_by, count(*) over ()::integer as total
from waiver_requests w
join assignments a on a.id = w.assignment_id and a.closed_by is null
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where w.answered_at is null
order by w.asked_at
limit 5
`;

/** What managers ask for, and what they were told and did nothing about. */
async function lineNeeds(db: Queryable, today: string, now: number): Promise<TodayNeed[]> {
  const { unanswered_days } = await getSettings(db);
  const list: TodayNeed[] = [];
  const asked = await rows<{ name: string; title: string; reason: string; asked_by: string; total: number }>(db, LIST_ASKED);
  for (const row of asked)
    list.push({
      kind: 'waiver',
      label: 'Waiver asked',
      words: `${row.asked_by} asks to waive ${row.title} of ${row.name}: “${oneLine(row.reason, 140)}”`,
      act: { label: 'Answer', link: '/requirements/waivers', does: null },
    });
  const more = (asked[0]?.total ?? 0) - asked.length;
  if (more > 0)
    list.push({
      kind: 'waiver',
      label: 'Waiver asked',
      words: `${tellAmount(more, 'waivers')} more ${more === 1 ? 'is' : 'are'} asked for.`,
      act: { label: 'Show all', link: '/requirements/waivers', does: null },
    });
  for (const row of await rows<{ id: string; title: string; count: number; person: string }>(db, LIST_UNANSWERED, [new Date(now), today]))
    list.push({
      kind: 'unanswered',
      label: 'No answer',
      words: `${row.count === 1 ? `${row.person} is` : `${tellAmount(row.count, 'people')} are`} late on ${row.title}; their line was told ${tellAmount(unanswered_days, 'days')} ago or longer, and no answer stands.`,
      act: { label: row.count === 1 ? 'Show it' : `Show the ${row.count}`, link: `/matrix/${row.id}?state=unanswered`, does: null },
    }); // prettier-ignore
  return list;
}

const COUNT_MARKING = `
select count(*)::integer as count, min(submitted_at) as since
from quiz_attempts
where submitted_at is not null
  and is_passed is null
`;

/** Of replies so many are told one by one. */
const REPLIES = 5;

/** Who waits for an answer, whose answer did not go, and what came in that belongs to nothing. */
async function replyNeeds(db: Queryable, zone: Zone, now: number): Promise<TodayNeed[]> {
  const [waiting, failed, { others }] = await Promise.all([listRepliesWaiting(db, REPLIES), listFailed(db), countConversations(db)]);
  const list: TodayNeed[] = failed.map(({ id, person, words }) => ({
    kind: 'reply',
    label: 'Answer failed',
    words: `The answer to ${person} did not go: “${words}”.`,
    act: { label: 'Look at it', link: `/replies/${id}`, does: null },
  }));
  for (const row of waiting)
    list.push({
      kind: 'reply',
      label: 'Reply waits',
      words: `${row.is_asked ? `${row.writer} ${row.writer === row.person ? 'asked' : 'wrote'} on the page of ${row.course ?? 'a course'}` : `${row.person} replied to ${[row.step_name ? `“${row.step_name}”` : `“${row.subject}”`, row.course].filter(Boolean).join(' of ')}`}, ${tellMoment(row.waits_since.getTime(), zone, now)}: “${oneLine(newWordsOf(row.body), 140)}”`, // prettier-ignore
      act: { label: 'Answer', link: `/replies/${row.id}`, does: null },
    });
  const more = (waiting[0]?.total ?? 0) - waiting.length;
  if (more > 0)
    list.push({
      kind: 'reply',
      label: 'Reply waits',
      words: `${more === 1 ? 'One reply more waits' : `${tellAmount(more, 'replies')} more wait`} for an answer.`,
      act: { label: 'Show all', link: '/replies?show=waiting', does: null },
    });
  if (others > 0)
    list.push({
      kind: 'reply',
      label: 'Mail came',
      words: `${others === 1 ? 'A mail that came in belongs' : `${tellAmount(others, 'mails')} that came in belong`} to no message of ours.`,
      act: { label: 'Look at it', link: '/replies/others', does: null },
    });
  return list;
}

/** Everything that needs a person, each with the one act that resolves it. */
/** @param role of whoever asks: what only administrators can mend is told to them alone */
export async function todayNeeds(deps: Deps, role: Role = 'administrator'): Promise<TodayNeed[]> {
  const { db } = deps;
  const now = deps.clock.now();
  const today = await houseToday(deps);
  const zone = Zone.of((await getHouse(db)).zone);
  const list: TodayNeed[] = [];
  const silent = silentNeeds(db, today, now);
  const lined = lineNeeds(db, today, now);
  lined.catch(() => undefined);
  silent.catch(() => undefined); // told where it is waited for
  const nextTry = (until: Date): string =>
    until.getTime() > now ? `at ${tellTime(until.getTime(), zone)}` : 'with the next notice that is due';
  const pause = await findPause(db, 'mail');
  if (pause) {
    const { due } = (await rows<{ due: number }>(db, COUNT_DUE, [new Date(now)]))[0]!;
    list.push({
      kind: 'mail-server',
      label: 'Mail stands still',
      words:
        `Since ${tellMoment(pause.since.getTime(), zone, now)} the mail server takes nothing: “${pause.words}”. ` +
        `${due === 0 ? 'Nothing is due yet' : due === 1 ? 'One notice waits' : `${due} notices wait`}; nothing is lost and nobody's address is marked. It is tried again ${nextTry(pause.paused_until)}.`,
      act: { label: 'Try now', link: null, does: 'try-now' },
    });
  }
  const chat = await findPause(db, 'chat');
  if (chat)
    list.push({
      kind: 'mail-server',
      label: 'Chat stands still',
      words:
        `Since ${tellMoment(chat.since.getTime(), zone, now)} the chat takes nothing: “${chat.words}”. ` +
        `What would go there in place of mail goes by mail; what goes beside it waits. It is tried again ${nextTry(chat.paused_until)}.`,
      act: { label: 'Try now', link: null, does: 'try-now' },
    });
  const mailbox = await mailboxView(deps);
  if (mailbox?.failingSince)
    list.push({
      kind: 'mail-server',
      label: 'Mailbox out of reach',
      words:
        `Since ${tellMoment(Date.parse(mailbox.failingSince), zone, now)} the mailbox ${mailbox.name}, cannot be looked into: ` +
        `${mailbox.words}. Replies and what came back wait there; it is tried again by itself.`,
      act: { label: 'Look at the settings', link: '/settings', does: null },
    });
  if (mailbox && mailbox.left.length > 0) {
    const [{ from, subject, why }] = mailbox.left as [MailboxView['left'][number]];
    list.push({
      kind: 'mail-server',
      label: 'Mail left lying',
      words:
        mailbox.left.length === 1
          ? `A mail from ${from}, “${subject}”, could not be taken from the mailbox: ${why}. It lies there still, flagged.`
          : `${tellAmount(mailbox.left.length, 'mails')} could not be taken from the mailbox, the newest from ${from}: ${why}. They lie there still, flagged.`,
      act: { label: 'Look at it', link: '/settings', does: null },
    });
  }
  if (role === 'administrator') list.push(...(await programNeeds(deps, zone)));
  for (const row of await rows<{ error: string; count: number; since: Date; name: string }>(db, LIST_WAITING, [pause?.words ?? null]))
    list.push({
      kind: 'mail-server',
      label: 'Mail waits',
      words:
        `${row.count === 1 ? `A notice to ${row.name} waits` : `${tellAmount(row.count, 'notices')} wait`} ` +
        `since ${tellMoment(row.since.getTime(), zone, now)}: ${row.error}. Nothing is lost; ` +
        'it is tried again by itself, with growing pauses.',
      act: { label: 'Try now', link: null, does: 'try-now' },
    });
  let unreachable = 0;
  for (const row of await rows<{
    id: string;
    name: string;
    address_words: string | null;
    waiting: number;
    total: number;
  }>(db, LIST_UNREACHABLE, [today])) {
    unreachable = row.total;
    list.push({
      kind: 'bounced',
      label: 'Bounced',
      words: (
        `Mail to ${row.name} came back: “${row.address_words ?? ''}”. ` +
        `${row.waiting > 0 ? `${tellAmount(row.waiting, 'notices')} ${row.waiting === 1 ? 'waits' : 'wait'} for a working address.` : ''}`
      ).trim(),
      act: { label: 'Correct the address', link: `/people/${row.id}?mend=email`, does: null },
    });
  }
  const unknown = await rows<{ id: string; name: string; chat_name: string; chat_words: string | null }>(db, LIST_UNKNOWN, [today]); // prettier-ignore
  for (const row of unknown)
    list.push({
      kind: 'bounced',
      label: 'Chat name',
      words: `The chat does not know ${row.chat_name}, which stands with ${row.name}: “${row.chat_words ?? ''}”. Messages go by mail meanwhile.`,
      act: { label: 'Correct the name', link: `/people/${row.id}?mend=chat`, does: null },
    });
  if (unreachable > NAMED)
    list.push({
      kind: 'bounced',
      label: 'Bounced',
      words: `Mail to ${tellAmount(unreachable - NAMED, 'people')} more came back.`,
      act: { label: `Show all ${unreachable}`, link: '/people?show=unreachable', does: null },
    });
  for (const row of await rows<{ id: string; name: string; title: string; step_name: string; sentence: string }>(db, LIST_FAILED, [today]))
    list.push({
      kind: 'failed',
      label: 'Failed',
      words: `“${row.step_name}” of ${row.title} to ${row.name}: ${row.sentence}`,
      act: { label: 'Look at it', link: `/ledger/${row.id}`, does: null },
    });
  for (const row of await rows<{ person_id: string; name: string; title: string }>(db, LIST_NO_RECIPIENT, [today]))
    list.push({
      kind: 'no-manager',
      label: 'Nobody told',
      words: `${row.name} is late on ${row.title} and there was nobody to tell.`,
      act: { label: 'Name a manager', link: `/people/${row.person_id}?mend=manager`, does: null },
    });
  for (const row of await rows<{ id: string; name: string; open: number; late: number }>(db, LIST_NO_MANAGER, [today, new Date(now)]))
    list.push({
      kind: 'no-manager',
      label: 'No manager',
      words:
        row.late > 0
          ? `${row.name} is late on ${tellAmount(row.late, 'courses')} and has no manager; only the course's owner is told.`
          : `${row.name} has ${tellAmount(row.open, 'courses')} to finish and no manager to tell if that gets late.`,
      act: { label: 'Name a manager', link: `/people/${row.id}?mend=manager`, does: null },
    });
  for (const row of await rows<{
    step_name: string;
    course_id: string;
    title: string;
    count: number;
    sentence: string;
    person_id: string;
  }>(db, LIST_MISSING))
    list.push({
      kind: 'missing-value',
      label: 'Missing value',
      words:
        row.count === 1
          ? `“${row.step_name}” of ${row.title} is ${clauseOf(row.sentence)}.`
          : `${tellAmount(row.count, 'notices')} “${row.step_name}” of ${row.title} are held: ${HOLD_WORDS['missing-value']}.`,
      act: {
        label: row.count === 1 ? 'Fill it in' : `Show the ${row.count}`,
        link:
          row.count === 1
            ? `/people/${row.person_id}`
            : `/ledger?outcome=held&held=missing-value&course=${row.course_id}&step=${encodeURIComponent(row.step_name)}`,
        does: null,
      },
    });
  const used = new Set((await rows<{ field: string }>(db, LIST_USED, [Object.keys(LACKS)])).map(({ field }) => field));
  for (const [field, lacks] of Object.entries(LACKS).filter(([name]) => used.has(name)))
    for (const row of await rows<{
      step_name: string;
      course_id: string;
      title: string;
      notices: number;
      count: number;
      name: string;
      person_id: string;
      day: string;
    }>(db, listMissingAhead(lacks), [today, field]))
      list.push({
        kind: 'missing-value',
        label: 'Missing value',
        words:
          `${row.count === 1 ? `${row.name} has` : `${row.count} people have`} no ${field}; ` +
          `“${row.step_name}” of ${row.title} would have a gap on ${tellDay(dayOf(row.day), dayOf(today))} and ` +
          'is held then.',
        act: {
          label: row.count === 1 ? 'Fill it in' : `Show ${tellAmount(row.notices, 'notices')}`,
          link:
            row.count === 1
              ? `/people/${row.person_id}`
              : `/ledger?lacks=${encodeURIComponent(field)}&step=${encodeURIComponent(row.step_name)}&course=${row.course_id}`,
          does: null,
        },
      });
  list.push(...(await replyNeeds(db, zone, now)));
  for (const { id, title, warnings: all } of await listWarned(deps)) {
    const warnings = all.filter(({ kind }) => !SAID_OTHERWISE.includes(kind));
    const [first] = warnings;
    if (!first) continue;
    const rest = warnings.length - 1;
    list.push({
      kind: 'plan',
      label: 'Plan',
      words: `${title}: ${first.words}${rest > 0 ? ` And ${rest === 1 ? 'one thing more' : `${rest} things more`}.` : ''}`,
      act: { label: first.mend ? 'Mend it' : 'Open the plan', link: `/plans/${id}?step=${encodeURIComponent(first.step)}`, does: null },
    });
  }
  const broken = await brokenMessages(deps, today, zone, now);
  for (const { course, step, next28, words } of broken.slice(0, 20))
    list.push({
      kind: 'plan',
      label: 'Link',
      words: `“${step.name}” of ${course.title}: ${words}. ${next28 === 0 ? 'Nobody gets it in the next 28 days' : `It goes ${next28 === 1 ? 'once' : `${next28} times`} in the next 28 days`}.`,
      act: { label: 'Open the plan', link: `/plans/${course.id}?step=${encodeURIComponent(step.id)}`, does: null },
    });
  const { count, since } = await oneRow<{ count: number; since: Date | null }>(db, COUNT_MARKING, []);
  if (since)
    list.push({
      kind: 'marking',
      label: 'To mark',
      words:
        `${count === 1 ? 'A submission waits' : `${tellAmount(count, 'submissions')} wait`} for marking, ` +
        `${count === 1 ? '' : 'the oldest '}since ${tellMoment(since.getTime(), zone, now)}.`,
      act: { label: count === 1 ? 'Mark it' : 'Mark them', link: '/courses/marking', does: null },
    });
  for (const hold of (await holdsView(deps)).standing)
    list.unshift({
      kind: 'held',
      label: 'Held',
      words:
        `${headOfHold(hold)}, since ${tellMoment(Date.parse(hold.from), zone, now)} by ${hold.by} (${hold.reason}), ` +
        `${tellUntil(hold.until)}; ${tellWaits(hold.waits)}.`,
      act: { label: 'Look at it', link: '/held', does: null },
    });
  for (const words of await tellAside(db, zone, now))
    list.unshift({ kind: 'set-aside', label: 'Set aside', words, act: { label: 'Try again', link: null, does: 'try-again' } });
  return [...list, ...(await rosterNeeds(db, zone, now)), ...(await lined), ...(await silent)];
}

/** Other programs that do not answer, or did not take something, and what they brought and nobody could match. */
async function programNeeds({ db, clock }: Deps, zone: Zone): Promise<TodayNeed[]> {
  const act = (label: string, link: string): TodayNeed['act'] => ({ label, link, does: null });
  const list: TodayNeed[] = [];
  for (const { name, failingSince, waiting, failed, endedAt } of await listHooks(db)) {
    if (endedAt !== null) continue;
    const since = failingSince === null ? null : tellMoment(new Date(failingSince).getTime(), zone, clock.now());
    const words =
      since !== null
        ? `${name} does not answer since ${since}: ${tellAmount(waiting, 'calls')} ${waiting === 1 ? 'waits' : 'wait'} and ${waiting === 1 ? 'is' : 'are'} tried again by ${waiting === 1 ? 'itself' : 'themselves'}, for three days.`
        : failed > 0
          ? `${name} did not take ${tellAmount(failed, 'calls')}.`
          : null;
    if (words) list.push({ kind: 'program', label: 'Another program', words, act: act('Look at it', '/settings/programs/told') });
  }
  const toSee = await countToSee(db);
  if (toSee > 0)
    list.push({
      kind: 'program',
      label: 'Completions brought',
      words: `${tellAmount(toSee, 'completions')} that another program brought ${toSee === 1 ? 'is' : 'are'} not on the record: nobody is known by ${toSee === 1 ? 'it' : 'them'}, or no course, or the day does not fit.`,
      act: act('Match them', '/settings/programs/completions'),
    });
  return list;
} // prettier-ignore
