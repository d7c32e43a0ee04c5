-- Up Migration

-- Where replies come in to be kept: an address of its own, which the mail server hands to Nudrik. Null: replies go past it.
alter table settings add column inbound_address text check (inbound_address = lower(inbound_address));

-- What employees wrote back, and what came of it.
create table conversations (
  id bigint generated always as identity primary key,
  person_id bigint not null references people on delete cascade,
  course_id bigint references courses on delete set null,
  assignment_id bigint references assignments on delete set null,
  -- the notice that was answered first
  notice_id bigint references notices on delete set null,
  step_name text,
  subject text not null,
  -- who takes care of it; null is the house
  reader_id bigint references people on delete set null,
  is_open boolean not null default true,
  -- since when somebody waits for an answer; null where nobody does
  waits_since timestamptz,
  opened_at timestamptz not null,
  last_at timestamptz not null,
  done_at timestamptz,
  done_by text
);
create index conversations_in_order on conversations (is_open, last_at desc, id desc);
create index conversations_waiting on conversations (waits_since) where waits_since is not null;
create index conversations_of_person on conversations (person_id, last_at desc);
create index conversations_of_notice on conversations (notice_id);
create index conversations_of_course on conversations (course_id, last_at desc);

create table conversation_posts (
  id bigint generated always as identity primary key,
  conversation_id bigint not null references conversations on delete cascade,
  at timestamptz not null,
  -- whose word it is: the employee's, the house's; or what became of it, for the record
  side text not null check (side in ('person', 'house', 'record')),
  author text not null,
  -- by mail: the address that it came from, where it is none that was expected
  strange_address text,
  body text not null,
  -- Message-ID by which a later mail refers to it
  header_id text unique,
  by_mail boolean not null default false
);
create index conversation_posts_of on conversation_posts (conversation_id, at, id);

create table conversation_files (
  post_id bigint not null references conversation_posts on delete cascade,
  position integer not null,
  file_id bigint not null references files on delete cascade,
  primary key (post_id, position)
);
create unique index conversation_files_file on conversation_files (file_id);
alter table files drop constraint files_purpose_check, add constraint files_purpose_check check (purpose in ('house', 'course', 'proof', 'letter'));

-- Mail of conversations on its way, beside the ledger: answers to employees, and word to whoever takes care.
create table outbox (
  id bigint generated always as identity primary key,
  conversation_id bigint not null references conversations on delete cascade,
  post_id bigint references conversation_posts on delete cascade,
  is_answer boolean not null,
  header_id text not null unique,
  from_name text not null,
  to_name text not null,
  to_address text not null,
  reply_to text not null,
  subject text not null,
  html text not null,
  body text not null,
  in_reply_to text,
  refs text,
  made_at timestamptz not null,
  -- null once it is over
  try_at timestamptz,
  attempts integer not null default 0,
  state text not null default 'waiting' check (state in ('waiting', 'sent', 'failed')),
  words text
);
create index outbox_waiting on outbox (try_at, id) where try_at is not null;
create index outbox_of on outbox (conversation_id);
create index outbox_failed on outbox (conversation_id) where state = 'failed';

-- What came in, each mail once, however often it was handed over.
create table arrivals (
  id bigint generated always as identity primary key,
  at timestamptz not null,
  digest bytea not null unique,
  kind text not null,
  from_address text,
  from_name text not null,
  subject text not null,
  body text not null,
  person_id bigint references people on delete set null,
  notice_id bigint references notices on delete set null,
  conversation_id bigint references conversations on delete set null,
  -- somebody has to look at it: a complaint, or the words of a person that belong to nothing
  waits boolean not null,
  seen_at timestamptz,
  seen_by text
);
create index arrivals_waiting on arrivals (at desc, id desc) where waits;
create index arrivals_in_order on arrivals (at desc, id desc);
create index arrivals_of_notice on arrivals (notice_id) where notice_id is not null;
