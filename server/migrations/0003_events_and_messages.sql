-- Up Migration

-- What happens to an assignment is an event; whatever else is stored about its state is read from its events.
alter table assignment_events
  -- the act by hand that it is part of
  add column act_id bigint references acts,
  -- the earlier event of the same assignment that this one takes back
  add column undoes bigint references assignment_events;
create unique index events_undone on assignment_events (undoes) where undoes is not null;
create index events_by_act on assignment_events (act_id) where act_id is not null;

-- what the employee is told of a waiver or withdrawal; closed_reason is for the record
alter table assignments add column closed_told text;

-- The history of each assignment as stretches that follow on each other: open with a due date, or closed and why.
-- Two readings: as it was known at each moment, and as is known now; where both say the same one row serves both.
create table assignment_intervals (
  assignment_id bigint not null references assignments on delete cascade,
  from_at timestamptz not null,
  to_at timestamptz,
  due_at timestamptz not null,
  closed_by text check (closed_by in ('finished', 'waived', 'withdrawn')),
  closed_because text,
  is_then boolean not null,
  is_now boolean not null
);
create index intervals_by_assignment on assignment_intervals (assignment_id);

-- the making of an assignment is an event like any other
insert into assignment_events (assignment_id, type, at, data, by_whom)
select
  id, 'assigned',
  -- one that was recorded as finished earlier became known when it was recorded
  coalesce((select min(e.at) from assignment_events e where e.assignment_id = a.id and e.type = 'recorded'), assigned_at),
  jsonb_build_object('dueAt', to_char(first_due_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')), assigned_by
from assignments a;

-- a completion that was recorded stands at its own date, which begins where its person is
update assignment_events e
set
  type = 'finished',
  data = coalesce(e.data, '{}') || jsonb_build_object('on', a.completed_on, 'onAt', to_char((a.completed_on::timestamp at time zone s.zone) at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"'))
    || case when a.proof_id is null then '{}' else jsonb_build_object('proof', a.proof_id::text) end
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
where a.id = e.assignment_id
  and a.completed_on is not null
  and e.type in ('finished', 'recorded');

-- what was not kept with a withdrawal
update assignment_events e
set data = coalesce(e.data, '{}') || jsonb_build_object('because', coalesce(nullif(a.closed_because, 'undone'), 'by-hand'))
from assignments a
where a.id = e.assignment_id
  and e.type = 'withdrawn';

-- "extension undone", "reopened" without a due date and "withdrawn: taken back" took something back: they name it now
do $$
declare
  event record;
  target bigint;
begin
  for event in
    select e.id, e.assignment_id, e.type, e.at, a.closed_because
    from assignment_events e
    join assignments a on a.id = e.assignment_id
    where e.type = 'extension-undone'
      or (e.type = 'reopened' and e.data ->> 'dueAt' is null)
      or (e.type = 'withdrawn' and a.closed_because = 'undone')
    order by e.at, e.id
  loop
    select e.id into target
    from assignment_events e
    where e.assignment_id = event.assignment_id
      and (e.at, e.id) < (event.at, event.id)
      and case event.type
        when 'extension-undone' then e.type = 'extended'
        when 'reopened' then e.type in ('finished', 'waived', 'withdrawn')
        else e.type = 'assigned'
      end
      and not exists (select 1 from assignment_events u where u.undoes = e.id)
    order by e.at desc, e.id desc
    limit 1;
    if target is null and event.type = 'withdrawn' then
      select e.id into target from assignment_events e where e.assignment_id = event.assignment_id and e.type = 'assigned';
    end if;
    if target is null then
      delete from assignment_events where id = event.id;
    else
      update assignment_events
      set type = 'undone', undoes = target, data = (coalesce(data, '{}') - 'dueAt' - 'because') || jsonb_build_object('event', target::text)
      where id = event.id;
    end if;
  end loop;
end $$;
-- of a completion that was recorded and taken back nothing said on which day it was: the event stays, taken back

-- expiry is a day where the person is, not midnight in UTC
update assignment_events e
set data = jsonb_set(e.data, '{expiresAt}', to_jsonb(to_char((c.expires_on::timestamp at time zone s.zone) at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')))
from certificates c
join people p on p.id = c.person_id
join sites s on s.id = p.site_id
where c.assignment_id = e.assignment_id
  and e.type = 'certificate-issued'
  and c.expires_on is not null;

-- the columns and intervals of these are read from their events once more by the program that runs the migrations
create table unread_assignments (assignment_id bigint primary key);
insert into unread_assignments (assignment_id) select id from assignments;

alter table acts drop column last_event_id;
alter table acts rename column last_mail_id to last_message_id;
-- which of its events an act made is not known of old ones: they can be taken back no longer
update acts set at = least(at, now());

-- A notice is decided; a message is composed once, for one notice or more, and never changed; a delivery is one attempt
-- to bring it to one address, with its answer.
alter table mails rename to messages;
alter table notices rename column mail_id to message_id;
alter index notices_by_mail rename to notices_by_message;
create table deliveries (
  id bigint generated always as identity primary key,
  message_id bigint not null references messages on delete cascade,
  channel text not null default 'mail',
  address text not null,
  attempt integer not null,
  handed_at timestamptz not null,
  answered_at timestamptz,
  -- null while nobody knows: on the wire, or cut off
  outcome text check (outcome in ('accepted', 'refused', 'later')),
  answer text,
  delivered_at timestamptz,
  report text,
  unique (message_id, attempt)
);
insert into deliveries (message_id, address, attempt, handed_at, answered_at, outcome, answer, delivered_at, report)
select
  m.id, m.to_address, greatest(1, coalesce(max(n.attempts), 1)), coalesce(m.sent_at, max(n.decided_at), max(n.at), now()), coalesce(m.sent_at, max(n.decided_at)),
  case when m.sent_at is not null then 'accepted' when bool_or(n.state = 'bounced') then 'refused' when m.response is not null then 'later' end,
  m.response, m.delivered_at, case when m.delivered_at is not null then m.response end
from messages m
left join notices n on n.message_id = m.id
group by m.id;
alter table messages
  add column channel text not null default 'mail',
  add column composed_at timestamptz;
update messages m set composed_at = d.handed_at from deliveries d where d.message_id = m.id;
alter table messages
  alter column composed_at set not null,
  drop column sent_at,
  drop column delivered_at,
  drop column response;

-- minutes that what an act by hand would send waits, so that taking it back means something
alter table settings add column settle_minutes integer not null default 10 check (settle_minutes between 0 and 1440);

-- what came back went all the same
update notices set sent_at = coalesce(decided_at, at) where state = 'bounced' and sent_at is null;

-- when the last notice about an assignment went is asked for everywhere; when it was planned is not the same
drop index notices_last;
create index notices_last on notices (assignment_id, sent_at desc, id desc) where sent_at is not null;
