-- Up Migration

alter table acts drop constraint acts_kind_check;
alter table acts add constraint acts_kind_check check (kind in ('assign', 'extend', 'waive', 'withdraw', 'record', 'remind', 'take-up'));

-- by how many days a manager may move a due date; null is as they like
alter table settings add column manager_extension_days integer;

-- What managers ask the office to waive, and what became of it.
create table waiver_requests (
  id bigint generated always as identity primary key,
  assignment_id bigint not null references assignments on delete cascade,
  asked_at timestamptz not null,
  asked_by text not null,
  person_id bigint references people on delete set null,
  reason text not null,
  answered_at timestamptz,
  answered_by text,
  is_waived boolean,
  answer text
);
create unique index one_open_waiver_request on waiver_requests (assignment_id) where answered_at is null;
create index waiver_requests_by_assignment on waiver_requests (assignment_id);

-- what a manager hears of their people comes at once: at a time of each day, or of one day of the week
alter table people add column digest_at text;
alter table people add column digest_on integer check (digest_on between 1 and 7);
