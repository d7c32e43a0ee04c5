-- Views with a name, on each page of reports; for oneself, or for those of a role.
alter table kept_views drop constraint kept_views_page_check;
alter table kept_views
  add constraint kept_views_page_check check (page in ('ledger', 'matrix', 'report', 'notified', 'finished', 'figures')),
  add column roles text[] not null default '{administrator,trainer,auditor}',
  add column account_id bigint references accounts on delete set null;
-- one's own are called as one likes, whatever others call theirs
drop index kept_views_name;
create unique index kept_views_name on kept_views (page, lower(name), (case when roles = '{}' then account_id end)) nulls not distinct;

-- Reports that are sent by themselves, and to whom.
create table sent_reports (
  id bigint generated always as identity primary key,
  name text not null,
  of jsonb not null,
  kind text not null check (kind in ('csv', 'xlsx', 'pdf')),
  every text not null check (every in ('day', 'week', 'month')),
  on_day integer,
  at_time text not null,
  is_on boolean not null,
  -- null where it is off
  next_at timestamptz,
  version integer not null default 1,
  made_by text not null,
  changed_by text not null,
  changed_at timestamptz not null
);
create unique index sent_reports_name on sent_reports (lower(name));
create index sent_reports_due on sent_reports (next_at) where next_at is not null;
create table sent_report_readers (
  report_id bigint not null references sent_reports on delete cascade,
  account_id bigint not null references accounts on delete cascade,
  primary key (report_id, account_id)
);

-- Each report that went to somebody, or did not: it stays when the report is taken away.
create table report_letters (
  id bigint generated always as identity primary key,
  report_id bigint references sent_reports on delete set null,
  report_name text not null,
  due_at timestamptz not null,
  made_at timestamptz not null,
  account_id bigint references accounts on delete set null,
  to_name text not null,
  to_address text not null,
  what text not null,
  -- why it was not sent; null where it was put on its way
  because text,
  file_id bigint references files on delete set null,
  file_name text,
  is_linked boolean not null default false,
  outbox_id bigint references outbox on delete set null
);
create unique index report_letters_once on report_letters (report_id, due_at, account_id);
create index report_letters_by_file on report_letters (file_id) where file_id is not null;

-- mails of conversations read their files there; others carry these
alter table outbox add column file_ids bigint[];

alter table files drop constraint files_purpose_check;
alter table files
  add constraint files_purpose_check check (purpose in ('house', 'course', 'proof', 'letter', 'logo', 'handout', 'picture', 'certificate', 'report'));
