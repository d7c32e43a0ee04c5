-- the mailbox from which mail is fetched (IMAP_URL): how far it was read, and how the last look went
create table mailbox (
  -- user, host and folder: another one begins anew
  name text primary key,
  -- numbers of its mails are good as long as this is the same (RFC 3501, 2.3.1.1)
  uid_validity bigint,
  last_uid bigint not null default 0,
  looked_at timestamptz,
  -- the same by the machine's own clock, which mails in it go by
  reached_at timestamptz,
  -- since when it cannot be looked into, and why
  failing_since timestamptz,
  words text,
  taken bigint not null default 0,
  -- the newest of those that could not be taken: they lie there still, flagged
  left_behind jsonb not null default '[]',
  -- the worker that looks into it
  held_by text,
  held_until timestamptz
);
