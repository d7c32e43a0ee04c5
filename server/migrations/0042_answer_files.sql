-- Up Migration

-- Files that somebody puts to an answer before it goes: theirs until then, and forgotten where it never goes.
create table answer_files (
  file_id bigint primary key references files on delete cascade,
  conversation_id bigint not null references conversations on delete cascade,
  account_id bigint not null references accounts on delete cascade,
  put_at timestamptz not null default now()
);
create index answer_files_of on answer_files (conversation_id, account_id);
create index answer_files_old on answer_files (put_at);
