import { rows, type Queryable } from '../db/db.ts';

const MINE = 'select id from assignments where person_id = $1::bigint';

/** All that is kept of one person, by what it is; keys and passwords are left out, they open something. $1 is who. */
const SECTIONS = {
  person: `
    select p.name, p.personnel_number, p.email, d.name as department, s.name as site, s.zone, p.job, p.job_since, m.name as manager, p.joined_on, p.left_on,
      p.language, p.chat_name, p.reached_by, p.daily_at, p.address_state, p.address_words
    from people p
    join departments d on d.id = p.department_id
    join sites s on s.id = p.site_id
    left join people m on m.id = p.manager_id
    where p.id = $1::bigint`,
  changes: 'select at, by_whom, kind, changes from person_changes where person_id = $1::bigint order by at, id',
  groups: 'select g.name from group_members x join groups g on g.id = x.group_id where x.person_id = $1::bigint order by g.name',
  leave:
    'select l.from_on, l.to_on, c.name as cover from leaves l left join people c on c.id = l.cover_id where l.person_id = $1::bigint order by l.from_on',
  assignments: `
    select a.id, c.title as course, a.round, a.assigned_at, a.due_at, a.started_at, a.closed_at, a.closed_by, a.closed_reason, a.completed_on, a.waived_until
    from assignments a
    join courses c on c.id = a.course_id
    where a.person_id = $1::bigint
    order by a.assigned_at, a.id`,
  events: `
    select e.assignment_id, e.type, e.at, e.by_whom, e.data
    from assignment_events e
    where e.assignment_id in (${MINE})
    order by e.at, e.id`,
  units: `
    select w.assignment_id, u.title as unit, w.place, w.played, w.at
    from unit_work w
    left join units u on u.id = w.unit_id
    where w.assignment_id in (${MINE})
    order by w.at`,
  quizzes: `
    select q.assignment_id, u.title as quiz, q.number, q.answers, q.begun_at, q.submitted_at, q.points, q.max, q.percent, q.is_passed, q.marks, q.marked_at,
      q.marked_by, q.marked_words
    from quiz_attempts q
    left join units u on u.id = q.unit_id
    where q.assignment_id in (${MINE})
    order by q.begun_at`,
  surveys: `
    select w.assignment_id, u.title as survey, w.answers, w.at
    from survey_answers w
    left join units u on u.id = w.unit_id
    where w.assignment_id in (${MINE})
    order by w.at`,
  signOffs: `
    select o.assignment_id, u.title as unit, o.on_date, o.at, o.outcome, o.criteria, o.met, o.remarks, o.place, o.by_whom, o.because, o.corrected_at,
      o.corrected_by, o.corrected_reason
    from sign_offs o
    left join units u on u.id = o.unit_id
    where o.assignment_id in (${MINE})
    order by o.at`,
  seats: `
    select x.assignment_id, t.starts_at, x.state, x.since, x.by_whom
    from seats x
    join training_sessions t on t.id = x.session_id
    where x.assignment_id in (${MINE})
    order by x.since`,
  certificates: `
    select serial, person_name, course_title, issued_on, expires_on, issued_by, issuer, their_number, revoked_at, revoked_by, revoked_reason, replaced_at, printed
    from certificates
    where person_id = $1::bigint
    order by issued_on, id`,
  notices: `
    select n.at, n.kind, n.step_name, c.title as course, n.state, coalesce(n.because, n.held_because) as because, n.sentence, n.recipient_name, n.sent_at
    from notices n
    join courses c on c.id = n.course_id
    where n.person_id = $1::bigint
      or n.recipient_id = $1::bigint
    order by n.at, n.id`,
  openings: `select assignment_id, on_day, at from link_openings where assignment_id in (${MINE}) order by at`,
  declined: `
    select c.title as course, x.step_name, x.at, x.ended_at
    from declines x
    left join courses c on c.id = x.course_id
    where x.person_id = $1::bigint
    order by x.at`,
  waiversAskedFor: `
    select w.assignment_id, w.asked_at, w.asked_by, w.reason, w.answered_at, w.answered_by, w.is_waived, w.answer
    from waiver_requests w
    where w.assignment_id in (${MINE})
      or w.person_id = $1::bigint
    order by w.asked_at`,
  conversations: `
    select v.subject, v.opened_at, v.done_at, v.done_by,
      (select jsonb_agg(jsonb_build_object('at', b.at, 'author', b.author, 'side', b.side, 'body', b.body) order by b.at, b.id)
        from conversation_posts b where b.conversation_id = v.id) as posts
    from conversations v
    where v.person_id = $1::bigint
    order by v.opened_at`,
  writtenToOthers: `
    select c.title as course, b.at, b.body
    from conversation_posts b
    join conversations v on v.id = b.conversation_id
    left join courses c on c.id = v.course_id
    where b.writer_id = $1::bigint
    order by b.at, b.id`,
  statements: 'select id, program, at, verb, activity, outcome, statement from statements where person_id = $1::bigint order by at, id',
  account: 'select email, name, role, made_at, seen_at, ended_at from accounts where person_id = $1::bigint order by id',
} as const;
export type OwnSection = keyof typeof SECTIONS;
export const OWN_SECTIONS = Object.keys(SECTIONS) as OwnSection[];

export const listOwn = (db: Queryable, section: OwnSection, person: string): Promise<Record<string, unknown>[]> =>
  rows(db, SECTIONS[section], [person]);

const LIST_MESSAGES = 'select distinct message_id as id from notices where recipient_id = $1::bigint and message_id is not null order by 1';
/** Messages that they read themself: those about them to others are others' as well. */
export const listOwnMessages = async (db: Queryable, person: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_MESSAGES, [person])).map(({ id }) => id);

const LIST_SERIALS = 'select serial from certificates where person_id = $1::bigint and issuer is null order by id';
export const listOwnSerials = async (db: Queryable, person: string): Promise<string[]> =>
  (await rows<{ serial: string }>(db, LIST_SERIALS, [person])).map(({ serial }) => serial);
